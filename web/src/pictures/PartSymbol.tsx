import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

type Props = {
  symbol: string;
  upright: boolean;
  flipped: boolean;
  /** Half of what a source takes from end to end. */
  half: number;
};

/** A part's graphic symbol around its centre, along the wire or standing across it. */
export function PartSymbol({ symbol, upright, flipped, half }: Props) {
  const turn = TURNED.has(symbol) ? (upright ? TURNED.get(symbol) : 0) : upright ? 90 : 0;
  return (
    <Box asChild color="ink" css={{ "& .ground": { fill: "{colors.ground}" } }}>
      <g
        transform={`rotate(${turn ?? 0})${flipped ? " scale(1 -1)" : ""}`}
        fill="none"
        stroke="currentColor"
        strokeWidth={1.5}
      >
        {source(symbol, half) ?? SYMBOLS[symbol] ?? SYMBOLS["resistor"]}
      </g>
    </Box>
  );
}

// what is drawn upright as it is, and what a diode on end points to
const TURNED = new Map<string, number>([
  ["mains", 0],
  ["winding", 0],
  ["split winding", 0],
  ["battery", 0],
  ["vibrator", 0],
  ["diode", -90],
  ["tube diode", -90],
  ["gas diode", -90],
]);

const ground = "ground";
const anode = (
  <>
    <path d="M-7 -7 7 0 -7 7Z" className={ground} />
    <path d="M7 -7V7" />
  </>
);
const turns = (from: number, to: number) =>
  Array.from({ length: Math.round((to - from) / 14) }, (_, n) => (
    <path key={n} d={`M0 ${from + 14 * n}a7 7 0 0 1 0 14`} />
  ));

const SYMBOLS: Record<string, ReactNode> = {
  resistor: <rect x={-22} y={-8} width={44} height={16} className={ground} />,
  load: <rect x={-26} y={-7} width={52} height={14} className={ground} />,
  heater: <path d="M-18 0h6l4 -7 6 14 6 -14 4 7h10" />,
  choke: (
    <>
      <path d="M-22 0H22" stroke="none" className={ground} />
      {[-21, -7, 7].map((x) => (
        <path key={x} d={`M${x} 0a7 7 0 0 1 14 0`} className={ground} />
      ))}
      <path d="M-20 -12H20" />
    </>
  ),
  // along the wire: the plate on the left is the positive one
  electrolytic: (
    <>
      <rect x={-5} y={-15} width={11} height={30} stroke="none" className={ground} />
      <rect x={-5} y={-14} width={4} height={28} />
      <path d="M5 -14V14" strokeWidth={3} />
    </>
  ),
  diode: anode,
  "tube diode": (
    <>
      <circle r={17} className={ground} />
      {anode}
    </>
  ),
  "gas diode": (
    <>
      <circle r={17} className={ground} />
      {anode}
      <circle cx={9} cy={10} r={2} fill="currentColor" />
    </>
  ),
  battery: (
    <>
      <rect x={-15} y={-10} width={30} height={20} stroke="none" className={ground} />
      <path d="M-14 -10H14M-7 -4H7M-14 3H14M-7 9H7" />
    </>
  ),
};

/** A source with its leads, as long as the drawing has room for. */
function source(symbol: string, half: number) {
  const coil = 14 * Math.max(1, Math.floor((half - 3) / 14) * 2 - 1);
  switch (symbol) {
    case "mains":
      return (
        <>
          <path d={`M0 ${-half}L0 ${half}`} />
          <circle r={16} className={ground} />
          <path d="M-8 0q4 -9 8 0t8 0" />
        </>
      );
    case "winding":
    case "split winding":
      return (
        <>
          <path d={`M0 ${-half}L0 ${-coil / 2}M0 ${coil / 2}L0 ${half}`} />
          {symbol === "split winding" && <path d="M6 0H8" />}
          {turns(-coil / 2, coil / 2)}
          <path
            d={`M-8 ${3 - coil / 2}L-8 ${coil / 2 - 3}M-13 ${3 - coil / 2}L-13 ${coil / 2 - 3}`}
          />
        </>
      );
    case "vibrator":
      return (
        <>
          <path d={`M0 ${-half}L0 ${half}`} />
          <rect x={-17} y={-24} width={34} height={48} className={ground} />
          <path d="M-8 14V-4l10 -10M6 -16h6M6 8h6" />
        </>
      );
    default:
      return null;
  }
}
