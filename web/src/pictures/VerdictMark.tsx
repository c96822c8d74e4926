import { VerdictShape } from "../shared/VerdictShape";

type Props = { verdict: string; x: number; y: number; size: number };

/** A verdict's shape at a place of a drawing. */
export function VerdictMark({ verdict, x, y, size }: Props) {
  return (
    <foreignObject x={x - size / 2} y={y - size / 2} width={size} height={size}>
      <VerdictShape verdict={verdict} size={size} />
    </foreignObject>
  );
}
