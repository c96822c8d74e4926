import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

import type { Schemas } from "../api/client";

type Part = Schemas["ChainWayShape"];

/** A part of a lead around its centre, 48 wide; dashed where the level is stated before it. */
export function PathPartSymbol({ part }: { part: Part }) {
  return (
    <Box
      asChild
      color={part.counted ? "glow" : "dim"}
      css={{ "& .ground": { fill: "{colors.ground}" } }}
    >
      <g
        fill="none"
        stroke="currentColor"
        strokeWidth={1.5}
        {...(part.counted ? {} : { strokeDasharray: "3 3" })}
        data-part={part.kind}
      >
        {SYMBOLS[part.kind]}
      </g>
    </Box>
  );
}

const box = <rect x={-20} y={-10} width={40} height={20} className="ground" />;

const SYMBOLS: Record<Part["kind"], ReactNode> = {
  part: box,
  cable: (
    <>
      <rect x={-20} y={-6} width={40} height={12} rx={6} className="ground" />
      <path d="M-24 0H24" />
    </>
  ),
  pad: (
    <>
      {box}
      <path d="M-16 0h5l2 -4 3 8 3 -8 3 8 3 -8 3 8 2 -4h5" />
    </>
  ),
  matching: (
    <>
      {box}
      <path d="M-7 -9a4.5 4.5 0 0 1 0 9a4.5 4.5 0 0 1 0 9M7 -9a4.5 4.5 0 0 0 0 9a4.5 4.5 0 0 0 0 9" />
    </>
  ),
  network: (
    <>
      {box}
      <path d="M-15 6 -8 -3 -2 2 5 -6 14 4" />
    </>
  ),
  mismatch: box,
};
