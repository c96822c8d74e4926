import { Box, Table, VisuallyHidden } from "@chakra-ui/react";
import { useMemo, useRef, useState } from "react";

import { BlockCard } from "./BlockCard";
import { type Block, type DiagramPicture, layOutDiagram, type PlacedCell } from "./diagramLayout";
import { MeterMark } from "./MeterMark";
import { PictureWords } from "./PictureWords";
import { useSize } from "./useSize";

/** The height that a drawing may claim from the rest of a step. */
const MOST_LEAST = 420;

type Props = { picture: DiagramPicture; onTest: (ask: string) => void };

/** A set as blocks: who is suspected and how much, what the present test runs through, and behind
 * each block what speaks for and against it. */
export default function DiagramDrawing({ picture, onTest }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  const [open, setOpen] = useState("");
  const drawn = useMemo(
    () => (width > 0 && height > 0 ? layOutDiagram(picture, width, height) : null),
    [picture, width, height],
  );
  const shown = picture.blocks.find((block) => block.key === open);
  return (
    <Box
      as="figure"
      m={0}
      flex="1 1 300px"
      // a large set is seen as a whole; what was found before stands below it
      minH={`${Math.min(Math.max(drawn?.least ?? 0, 300), MOST_LEAST)}px`}
      position="relative"
      data-testid="diagram-picture"
      aria-label="The set as blocks"
      onKeyDown={(event) => {
        if (event.key === "Escape") setOpen("");
      }}
    >
      <Box ref={box} position="absolute" inset={0} overflowY="auto" bg="ground" borderRadius="4px">
        <Box position="relative" h={`${Math.ceil(drawn?.least ?? 300)}px`}>
          {drawn && (
            <svg width={width} height={drawn.least} aria-hidden="true">
              {drawn.lines.map(({ key, link, points }) => (
                <Box
                  asChild
                  key={key}
                  color={link.lit ? "glow" : "dim"}
                  css={{ fill: "none", stroke: "currentColor" }}
                >
                  <polyline
                    points={points.map((p) => p.join(",")).join(" ")}
                    strokeWidth={link.lit ? 2.5 : 1.2}
                    {...(link.kind === "signal" ? {} : { strokeDasharray: "4 3" })}
                  />
                </Box>
              ))}
              {drawn.cells.map((placed) => (
                <Cell key={placed.block.key} placed={placed} {...drawn.cell} />
              ))}
              {drawn.marks.map((mark) => (
                <MeterMark key={mark.key} x={mark.x} y={mark.y} letter={mark.letter} radius={8} />
              ))}
              <PictureWords words={drawn.words} />
            </svg>
          )}
          {drawn?.cells.map(({ block, x, y }) => (
            <Box
              asChild
              key={block.key}
              position="absolute"
              left={`${x}px`}
              top={`${y}px`}
              w={`${drawn.cell.width}px`}
              h={`${drawn.cell.height}px`}
              cursor="pointer"
              borderRadius="3px"
              _hover={{ boxShadow: "0 0 0 2px currentColor" }}
            >
              <button
                type="button"
                aria-expanded={block.key === open}
                aria-label={told(block)}
                data-opens={block.key}
                onClick={() => setOpen(block.key === open ? "" : block.key)}
              />
            </Box>
          ))}
        </Box>
      </Box>
      {shown && <BlockCard block={shown} onClose={() => setOpen("")} onTest={onTest} />}
      <AsTable picture={picture} />
    </Box>
  );
}

const told = (block: Block) => `${block.label}: ${block.standing} ${block.figure}`.trim();

const EDGES: Record<Block["standing"], string> = {
  open: "edge",
  suspected: "outside",
  cleared: "edge",
  convicted: "outside",
  mended: "inside",
};

/** A block: shaded as far as it is suspected, ringed while the present test runs through it. */
function Cell({ placed, width, height }: { placed: PlacedCell; width: number; height: number }) {
  const { block, x, y } = placed;
  const strong = block.standing === "convicted";
  return (
    <g data-block={block.key} data-standing={block.standing}>
      <Box
        asChild
        css={{ fill: "{colors.panel}" }}
        color={block.lit ? "glow" : EDGES[block.standing]}
      >
        <rect
          x={x}
          y={y}
          width={width}
          height={height}
          rx={3}
          stroke="currentColor"
          strokeWidth={strong ? 4 : block.lit ? 2.5 : 1.2}
          opacity={block.used ? 1 : 0.75}
        />
      </Box>
      {block.suspicion > 0 && block.standing !== "cleared" && (
        <Box asChild color="outside">
          <rect
            x={x + 2}
            y={y + 2 + (height - 4) * (1 - block.suspicion)}
            width={4}
            height={(height - 4) * block.suspicion}
            fill="currentColor"
          />
        </Box>
      )}
    </g>
  );
}

function AsTable({ picture }: { picture: DiagramPicture }) {
  return (
    <VisuallyHidden data-testid="diagram-table">
      <Table.Root>
        <Table.Caption>
          The set as blocks, {picture.position}
          {picture.derived ? "; drawn from its line-up, bands and circuit" : ""}
        </Table.Caption>
        <Table.Body>
          {picture.blocks.map((block) => (
            <Table.Row key={block.key}>
              <Table.Cell>{block.label}</Table.Cell>
              <Table.Cell>{block.standing}</Table.Cell>
              <Table.Cell>{block.figure}</Table.Cell>
              <Table.Cell>{block.lit ? "in the way of this test" : ""}</Table.Cell>
              <Table.Cell>{block.evidence[0]}</Table.Cell>
            </Table.Row>
          ))}
          {picture.points.map((point) => (
            <Table.Row key={`${point.letter} ${point.at}`}>
              <Table.Cell>{point.letter}</Table.Cell>
              <Table.Cell>{point.words}</Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </VisuallyHidden>
  );
}
