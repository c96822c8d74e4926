import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

import type { Schemas } from "../api/client";

type Block = Schemas["ChainBlockShape"];

/** A block of the signal's way around its centre, 44 wide. */
export function BlockSymbol({ block }: { block: Block }) {
  const lit = block.cores.some((core) => core.lit);
  return (
    <Box
      asChild
      color={block.stopped ? "dim" : "ink"}
      css={{ "& .ground": { fill: "{colors.ground}" }, "& .lit": { stroke: "{colors.glow}" } }}
    >
      <g fill="none" stroke="currentColor" strokeWidth={1.5}>
        {SYMBOLS[block.kind]}
        {block.kind === "coupled pair" && <Cores block={block} />}
        {lit && block.kind !== "coupled pair" && (
          <path className="lit" d="M-14 14 14 -14M14 -14l-8 2M14 -14l-2 8" strokeWidth={2} />
        )}
        {block.stopped && <path className="lit" d="M-15 -15 15 15" strokeWidth={2} />}
      </g>
    </Box>
  );
}

const ground = "ground";
const coil = (x: number) => (
  <path d={`M${x} -15a5 5 0 0 1 0 10a5 5 0 0 1 0 10a5 5 0 0 1 0 10`} className={ground} />
);

/** The arrow of each core through its coil: glowing while it is turned, a tick when it was. */
function Cores({ block }: { block: Block }) {
  return block.cores.map((core, n) => {
    const x = n === 0 ? -9 : 9;
    return (
      <g key={core.key} className={core.lit ? "lit" : ""} strokeWidth={core.lit ? 2.5 : 1}>
        <path d={`M${x - 7} 12 ${x + 7} -12m-6 1 6 -1 0 6`} />
        {core.done && !core.lit && <path d={`M${x - 4} 18l3 3 6 -7`} strokeWidth={1.5} />}
      </g>
    );
  });
}

const SYMBOLS: Record<Block["kind"], ReactNode> = {
  aerial: <path d="M0 20V-18M-12 -18 0 -4 12 -18M0 0H22" />,
  "tuned circuit": (
    <>
      <path d="M-22 0H22M0 0V4M-9 24V4H9V11M9 16V24H-9M2 11H16M2 16H16M0 24V28M-5 28H5" />
      <path d="M-9 4a4 4 0 0 1 0 7a4 4 0 0 1 0 7a4 4 0 0 1 0 6" className={ground} />
    </>
  ),
  amplifier: <path d="M-20 -20 22 0 -20 20Z" className={ground} />,
  mixer: (
    <>
      <circle r={20} className={ground} />
      <path d="M-14 -14 14 14M-14 14 14 -14" />
    </>
  ),
  oscillator: (
    <>
      <circle r={20} className={ground} />
      <path d="M-11 0q5.5 -12 11 0t11 0" />
    </>
  ),
  "coupled pair": (
    <>
      <rect x={-22} y={-24} width={44} height={48} strokeDasharray="4 3" />
      {coil(-9)}
      {coil(9)}
    </>
  ),
  filter: (
    <>
      <rect x={-22} y={-18} width={44} height={36} className={ground} />
      <path d="M-14 8q4 0 6 -8t8 -8 8 8 6 8" />
    </>
  ),
  detector: (
    <>
      <path d="M-22 0H22" />
      <path d="M-9 -12 9 0 -9 12Z" className={ground} />
      <path d="M9 -12V12" />
    </>
  ),
  loudspeaker: <path d="M-22 0H-12M-12 -9H-2V9H-12ZM-2 -9 14 -20V20L-2 9" className={ground} />,
};
