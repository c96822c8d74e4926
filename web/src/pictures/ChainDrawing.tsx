import { Box, Table, VisuallyHidden } from "@chakra-ui/react";
import { useMemo, useRef } from "react";

import { BlockSymbol } from "./BlockSymbol";
import { type ChainPicture, layOutChain, type PlacedBlock } from "./chainLayout";
import { MeterMark } from "./MeterMark";
import { PathPartSymbol } from "./PathPartSymbol";
import { PictureWords } from "./PictureWords";
import { useSize } from "./useSize";

/** The signal's way with what is joined to it now, the core that is turned, and the control line. */
export default function ChainDrawing({ picture }: { picture: ChainPicture }) {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  const drawn = useMemo(
    () => (width > 0 && height > 0 ? layOutChain(picture, width, height) : null),
    [picture, width, height],
  );
  return (
    <Box
      as="figure"
      m={0}
      flex="1 0 270px"
      minH={0}
      position="relative"
      data-testid="chain-picture"
      aria-label="The signal's way"
    >
      <Box
        ref={box}
        h="100%"
        minH={`${Math.ceil(drawn?.least ?? 270)}px`}
        bg="ground"
        borderRadius="4px"
        overflow="hidden"
      >
        {drawn && (
          <svg width={width} height={height} aria-hidden="true">
            <defs>
              <marker
                id="chain-arrow"
                viewBox="0 0 8 8"
                refX="7"
                refY="4"
                markerWidth="8"
                markerHeight="8"
                orient="auto"
              >
                <path d="M0 0 8 4 0 8Z" fill="context-stroke" />
              </marker>
            </defs>
            {drawn.wires.map((wire, n) => (
              <Box asChild key={n} color={wire.tone} css={{ fill: "none", stroke: "currentColor" }}>
                <polyline
                  points={wire.points.map((p) => p.join(",")).join(" ")}
                  strokeWidth={1.5}
                  {...(wire.arrow ? { markerEnd: "url(#chain-arrow)" } : {})}
                  {...(wire.tone === "dim" ? { strokeDasharray: "5 4" } : {})}
                />
              </Box>
            ))}
            {drawn.blocks.map((placed) => (
              <Drawn key={placed.block.key} placed={placed} />
            ))}
            {drawn.through.map((part) => (
              <Box asChild key={part.key} color="glow" css={{ fill: "{colors.ground}" }}>
                <rect x={part.x - 7} y={part.y - 9} width={14} height={18} stroke="currentColor" />
              </Box>
            ))}
            {drawn.parts.map((placed) => (
              <g key={placed.key} transform={`translate(${placed.x} ${placed.y})`}>
                <PathPartSymbol part={placed.part} />
              </g>
            ))}
            {drawn.taps.map((tap) => (
              <MeterMark key={tap.key} x={tap.x} y={tap.y} letter={tap.letter} />
            ))}
            <PictureWords words={drawn.words} />
          </svg>
        )}
      </Box>
      <AsTable picture={picture} />
    </Box>
  );
}

function Drawn({ placed }: { placed: PlacedBlock }) {
  const { block, x, y } = placed;
  return (
    <g transform={`translate(${x} ${y})`} data-block={block.key}>
      {block.suspicion > 0 && (
        <Box asChild color="outside">
          <circle r={28} fill="none" stroke="currentColor" strokeWidth={1 + 6 * block.suspicion} />
        </Box>
      )}
      <BlockSymbol block={block} />
    </g>
  );
}

/** What tells a part that is not taken off the level. */
const partWords = (part: ChainPicture["points"][number]["way"][number]) =>
  `${part.kind} ${part.name} ${part.loss}${part.counted ? "" : ", a part of the set"}`;

function AsTable({ picture }: { picture: ChainPicture }) {
  const all = [...picture.blocks, ...picture.oscillators];
  return (
    <VisuallyHidden data-testid="chain-table">
      <Table.Root>
        <Table.Caption>The signal&apos;s way {picture.band}</Table.Caption>
        <Table.Body>
          {all.map((block) => (
            <Table.Row key={block.key}>
              <Table.Cell>{block.label || block.kind}</Table.Cell>
              <Table.Cell>{block.stopped ? "stopped" : block.tuned}</Table.Cell>
              <Table.Cell>{block.gain}</Table.Cell>
              <Table.Cell>{block.expected}</Table.Cell>
              <Table.Cell>
                {block.cores
                  .map((c) => `${c.label}${c.lit ? ", turned now" : c.done ? ", turned" : ""}`)
                  .join("; ")}
              </Table.Cell>
              <Table.Cell>{block.controlled ? "on the AVC line" : ""}</Table.Cell>
              <Table.Cell>
                {block.read} {block.words}
              </Table.Cell>
            </Table.Row>
          ))}
          {picture.points.map((point) => (
            <Table.Row key={`${point.letter} ${point.block}`}>
              <Table.Cell>{point.letter === "G" ? "generator" : "meter"}</Table.Cell>
              <Table.Cell>{point.words}</Table.Cell>
              <Table.Cell>
                {[...point.way.map(partWords), point.through].filter(Boolean).join("; ")}
              </Table.Cell>
              <Table.Cell>
                {point.behind ? "behind" : "before"} {all.find((b) => b.key === point.block)?.label}
              </Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </VisuallyHidden>
  );
}
