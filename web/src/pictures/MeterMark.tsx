import { Box } from "@chakra-ui/react";

/** A meter or a generator as it is joined now: its letter in a ring, glowing. */
export function MeterMark({ x, y, letter }: { x: number; y: number; letter: string }) {
  return (
    <Box asChild color="glow">
      <g>
        <Box asChild css={{ fill: "{colors.ground}" }}>
          <circle cx={x} cy={y} r={13} stroke="currentColor" />
        </Box>
        <text x={x} y={y + 5} fontSize={14} textAnchor="middle" fill="currentColor">
          {letter}
        </text>
      </g>
    </Box>
  );
}
