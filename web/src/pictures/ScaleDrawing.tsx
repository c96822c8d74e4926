import { Box, Flex, Table, Text, VisuallyHidden } from "@chakra-ui/react";
import { useRef, useState } from "react";

import { verdictColour } from "../shared/VerdictShape";
import { type Lens, type Scale, spreadOut } from "./scaleLayout";
import { useSize } from "./useSize";
import { VerdictMark } from "./VerdictMark";

/** What the pointer of one's own takes under the lenses. */
const FOOT = 48;

/** A band's scale with its pointer, and under each mark how far off it was, reading by reading. */
export default function ScaleDrawing({ scale }: { scale: Scale }) {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  return (
    <Box
      as="figure"
      m={0}
      flex="1 0 240px"
      minH={0}
      position="relative"
      aria-label={`The scale, ${scale.band}`}
      data-testid="scale-picture"
    >
      <Box ref={box} h="100%" minH="240px" bg="ground" borderRadius="4px" overflow="hidden">
        {width > 0 && height > 0 && (
          <Drawn
            scale={scale}
            width={width}
            height={scale.corrected.length > 0 ? height - FOOT : height}
          />
        )}
      </Box>
      {scale.corrected.length > 0 && <Anywhere scale={scale} />}
      <AsTable scale={scale} />
    </Box>
  );
}

/** A pointer of one's own along the scale: what the dial says there, and what comes in. */
function Anywhere({ scale }: { scale: Scale }) {
  const [at, setAt] = useState(Math.floor(scale.corrected.length / 2));
  const read = scale.corrected[Math.min(at, scale.corrected.length - 1)];
  if (!read) return null;
  const words = `where the dial says ${read.dial}, ${read.true} comes in`;
  return (
    <Flex
      position="absolute"
      left={4}
      right={4}
      bottom={1}
      gap={3}
      align="center"
      bg="ground"
      data-testid="corrected"
    >
      <Box asChild flex="1" h="44px" accentColor="var(--chakra-colors-glow)">
        <input
          type="range"
          aria-label="Read the dial anywhere"
          aria-valuetext={words}
          min={0}
          max={scale.corrected.length - 1}
          value={at}
          onChange={(event) => setAt(Number(event.target.value))}
        />
      </Box>
      <Text fontSize="15px" fontFamily="mono">
        {words}
      </Text>
    </Flex>
  );
}

function Drawn({ scale, width, height }: { scale: Scale; width: number; height: number }) {
  const drawn = spreadOut(scale, width, height);
  const { left, right, scaleY, lensTop, bottom, lenses } = drawn;
  const lit = lenses.find((lens) => lens.mark.lit);
  // with other scales above it the ends stand between them and the one that is read
  const ends = scaleY - 32;
  return (
    <svg width={width} height={height} aria-hidden="true">
      <Tone of="dim">
        <line x1={left} x2={right} y1={scaleY} y2={scaleY} stroke="currentColor" />
        <text x={left} y={ends} fontSize={13} fill="currentColor">
          {scale.low}
        </text>
        <text x={right} y={ends} fontSize={13} textAnchor="end" fill="currentColor">
          {scale.high}
        </text>
      </Tone>
      {drawn.beside.map((other) => (
        <Tone key={other.band} of="dim">
          <line x1={left} x2={right} y1={other.y} y2={other.y} stroke="currentColor" />
          <text x={right} y={other.y - 7} fontSize={13} textAnchor="end" fill="currentColor">
            {other.unit}
          </text>
          {other.figures.map((figure) => (
            <g key={figure.x}>
              <line
                x1={figure.x}
                x2={figure.x}
                y1={other.y - 5}
                y2={other.y}
                stroke="currentColor"
              />
              <text
                x={figure.x}
                y={other.y - 7}
                fontSize={13}
                textAnchor="middle"
                fill="currentColor"
              >
                {figure.text}
              </text>
            </g>
          ))}
        </Tone>
      ))}
      {drawn.searched && (
        <Tone of="glow">
          <path
            d={`M${drawn.searched.left} ${scaleY + 5}v7H${drawn.searched.right}v-7`}
            fill="none"
            stroke="currentColor"
            strokeOpacity={0.7}
          />
        </Tone>
      )}
      {lit && drawn.beside.length > 0 && (
        <Tone of="glow">
          <line
            x1={lit.at}
            x2={lit.at}
            y1={4}
            y2={scaleY - 26}
            stroke="currentColor"
            strokeOpacity={0.6}
          />
        </Tone>
      )}
      {lenses.map((lens) => (
        <OneMark key={lens.mark.label} lens={lens} y={scaleY} top={lensTop} bottom={bottom} />
      ))}
    </svg>
  );
}

type MarkProps = { lens: Lens; y: number; top: number; bottom: number };

/** The mark on the scale, the lens under it, and the way of its readings. */
function OneMark({ lens, y, top, bottom }: MarkProps) {
  const { mark, at, left, right, middle, stripe, roomy, readings } = lens;
  const way = readings.map((r, n) => `${n === 0 ? "M" : "L"}${r.x} ${r.y}`).join("");
  return (
    <>
      <Tone of={mark.lit ? "glow" : "ink"}>
        <line x1={at} x2={at} y1={y - 10} y2={y + 10} stroke="currentColor" strokeWidth={2} />
        {mark.lit && <path d={`M${at} ${y - 12}l-7 -14h14Z`} fill="currentColor" />}
        <path
          d={`M${at} ${y + 10}L${left} ${top}M${at} ${y + 10}L${right} ${top}`}
          fill="none"
          stroke="currentColor"
          strokeOpacity={0.25}
        />
        <rect
          x={left}
          y={top}
          width={right - left}
          height={bottom - top}
          rx={4}
          fill="none"
          stroke="currentColor"
          strokeOpacity={0.6}
        />
        <text x={middle} y={top + 18} fontSize={16} textAnchor="middle" fill="currentColor">
          {mark.label}
        </text>
      </Tone>
      <Tone of="band">
        <rect
          x={stripe.left}
          y={top + 28}
          width={stripe.right - stripe.left}
          height={bottom - top - 34}
          fill="currentColor"
        />
      </Tone>
      {lens.foretold && (
        <Tone of="glow">
          <rect
            x={lens.foretold.left}
            y={bottom - 34}
            width={Math.max(lens.foretold.right - lens.foretold.left, 2)}
            height={24}
            fill="none"
            stroke="currentColor"
            strokeDasharray="4 3"
          />
          <text
            x={Math.min(
              Math.max((lens.foretold.left + lens.foretold.right) / 2, left + 34),
              right - 34,
            )}
            y={bottom - 39}
            fontSize={13}
            textAnchor="middle"
            fill="currentColor"
          >
            foretold
          </text>
        </Tone>
      )}
      <Tone of="inside">
        <line x1={middle} x2={middle} y1={top + 28} y2={bottom - 6} stroke="currentColor" />
      </Tone>
      <Tone of="dim">
        <path d={way} fill="none" stroke="currentColor" />
      </Tone>
      {readings.map((r, n) => (
        <g key={n}>
          <VerdictMark verdict={r.reading.verdict} x={r.x} y={r.y} size={16} />
          {(r.last || roomy) && (
            <Tone of={r.last ? verdictColour(r.reading.verdict) : "dim"}>
              <text
                x={r.x < middle ? r.x + 14 : r.x - 14}
                y={r.y + 5}
                fontSize={r.last ? 17 : 14}
                textAnchor={r.x < middle ? "start" : "end"}
                fill="currentColor"
              >
                {r.label}
              </text>
            </Tone>
          )}
        </g>
      ))}
    </>
  );
}

function Tone({ of, children }: { of: string; children: React.ReactNode }) {
  return (
    <Box asChild color={of}>
      <g>{children}</g>
    </Box>
  );
}

/** The same for those who cannot see it. */
function AsTable({ scale }: { scale: Scale }) {
  return (
    <VisuallyHidden>
      <Table.Root>
        <Table.Caption>
          {scale.band}, {scale.low} to {scale.high}
        </Table.Caption>
        <Table.Body>
          {scale.marks.flatMap((mark) =>
            mark.readings.map((reading, n) => (
              <Table.Row key={`${mark.label} ${n}`}>
                <Table.Cell>{mark.label}</Table.Cell>
                <Table.Cell>within {mark.tolerance}</Table.Cell>
                <Table.Cell>
                  {reading.text} {reading.words}, {reading.verdict}
                </Table.Cell>
              </Table.Row>
            )),
          )}
        </Table.Body>
      </Table.Root>
    </VisuallyHidden>
  );
}
