import { Box } from "@chakra-ui/react";

type Props = { x: number; y: number; letter: string; radius?: number };

/** A meter or a generator as it is joined now: its letter in a ring, glowing. */
export function MeterMark({ x, y, letter, radius = 13 }: Props) {
  return (
    <Box asChild color="glow">
      <g>
        <Box asChild css={{ fill: "{colors.ground}" }}>
          <circle cx={x} cy={y} r={radius} stroke="currentColor" />
        </Box>
        <text x={x} y={y + 5} fontSize={14} textAnchor="middle" fill="currentColor">
          {letter}
        </text>
      </g>
    </Box>
  );
}
