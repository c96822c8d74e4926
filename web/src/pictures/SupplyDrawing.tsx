import { Box, Table, VisuallyHidden } from "@chakra-ui/react";
import { useMemo, useRef } from "react";

import { MeterMark } from "./MeterMark";
import { PartCards } from "./PartCards";
import { PartSymbol } from "./PartSymbol";
import { PictureWords } from "./PictureWords";
import { layOut, type Placed, type SupplyPicture } from "./supplyLayout";
import { useSize } from "./useSize";

/** A supply with what should be and what is at its nodes, its probes, and who is suspected. */
export default function SupplyDrawing({ picture }: { picture: SupplyPicture }) {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  const drawn = useMemo(
    () => (width > 0 && height > 0 ? layOut(picture, width, height) : null),
    [picture, width, height],
  );
  return (
    <Box
      as="figure"
      m={0}
      flex="1 0 240px"
      minH={0}
      position="relative"
      data-testid="supply-picture"
      aria-label="The supply"
    >
      <Box
        ref={box}
        h="100%"
        minH="240px"
        bg="ground"
        borderRadius="4px"
        overflow="hidden"
        position="relative"
      >
        {drawn && (
          <svg width={width} height={height} aria-hidden="true">
            {drawn.wires.map((wire, n) => (
              <Box
                asChild
                key={n}
                color={wire.tone === "glow" ? "glow" : "ink"}
                css={{ fill: "none", stroke: "currentColor" }}
              >
                <polyline
                  points={wire.points.map((p) => p.join(",")).join(" ")}
                  strokeWidth={1.5}
                  {...(wire.dashed ? { strokeDasharray: "5 4" } : {})}
                />
              </Box>
            ))}
            {drawn.dots.map((dot, n) => (
              <Box asChild key={n} color={dot.lit ? "glow" : "ink"}>
                <circle cx={dot.x} cy={dot.y} r={dot.lit ? 4.5 : 3} fill="currentColor" />
              </Box>
            ))}
            {drawn.placed.map((placed) => (
              <Drawn key={placed.part.key} placed={placed} />
            ))}
            {drawn.meters.map((meter) => (
              <MeterMark key={`${meter.x} ${meter.y}`} {...meter} />
            ))}
            <PictureWords words={drawn.words} />
          </svg>
        )}
        {drawn && <PartCards placed={drawn.placed} />}
      </Box>
      <AsTable picture={picture} />
    </Box>
  );
}

/** A part with the ring of its suspicion, the thicker the likelier. */
function Drawn({ placed }: { placed: Placed }) {
  const { part, x, y } = placed;
  return (
    <g transform={`translate(${x} ${y})`} data-part={part.key}>
      {part.suspicion > 0 && (
        <Box asChild color="outside">
          <circle r={25} fill="none" stroke="currentColor" strokeWidth={1 + 6 * part.suspicion} />
        </Box>
      )}
      <PartSymbol
        symbol={part.symbol}
        upright={placed.upright}
        flipped={placed.flipped ?? false}
        half={placed.half ?? 0}
      />
    </g>
  );
}

/** The same for those who cannot see it. */
function AsTable({ picture }: { picture: SupplyPicture }) {
  return (
    <VisuallyHidden data-testid="supply-table">
      <Table.Root>
        <Table.Caption>The supply, {picture.topology}</Table.Caption>
        <Table.Body>
          {picture.nodes.map((node) => (
            <Table.Row key={node.name}>
              <Table.Cell>{node.name}</Table.Cell>
              <Table.Cell>expected {node.expected}</Table.Cell>
              <Table.Cell>
                {node.read ? `${node.read} ${node.read_at}, ${node.words}` : "not read"}
              </Table.Cell>
            </Table.Row>
          ))}
          {picture.parts.map((part) => (
            <Table.Row key={part.key}>
              <Table.Cell>{part.label || part.place}</Table.Cell>
              <Table.Cell>{part.value}</Table.Cell>
              <Table.Cell>
                {part.words} {part.details.join(" ")}
              </Table.Cell>
            </Table.Row>
          ))}
          {picture.probes.map((probe) => (
            <Table.Row key={probe.node}>
              <Table.Cell>{probe.words}</Table.Cell>
              <Table.Cell>
                at {picture.nodes[probe.node]?.name ?? "the line"}, to {picture.rail}
              </Table.Cell>
              <Table.Cell />
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </VisuallyHidden>
  );
}
