import { Box, Flex, Stack, Table, Text, VisuallyHidden } from "@chakra-ui/react";
import { useRef } from "react";

import type { Schemas } from "../api/client";
import { type LiveStore, useOfWatched, useWatched } from "../bench/useLive";
import { lieOut, type Sample } from "./peakLayout";
import { useSize } from "./useSize";

type Trace = Schemas["PeakTraceShape"];
type Props = {
  trace: Trace;
  /** The reading now, as the bench's meter shows it. */
  reading: string;
  /** What is watched live, where something is. */
  store: LiveStore;
};

/** The needle's way over the peak: the value now, the best so far, and what the hand does next. */
export default function PeakTrace({ trace, reading, store }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box);
  const points = trace.points.map((p) => ({ at: p.turns - trace.best.turns, value: p.value }));
  return (
    <Flex
      as="figure"
      direction="column"
      m={0}
      flex="1 0 240px"
      minH={0}
      bg="ground"
      borderRadius="4px"
      position="relative"
      aria-label="The way over the peak"
      data-testid="peak-trace"
    >
      <Flex gap={5} px={4} pt={2} align="center" wrap="wrap">
        <Reading store={store} reading={reading} />
        <Stack gap={0} role="status">
          <Text fontSize="20px" color={trace.at_best ? "inside" : "near"}>
            {trace.words}
          </Text>
          <Text fontSize="20px" fontWeight={600}>
            {trace.next_words}
          </Text>
        </Stack>
      </Flex>
      <Box ref={box} flex="1" minH="140px">
        {width > 0 && height > 0 && (
          <Bell
            points={points}
            store={store}
            width={width}
            height={height}
            atBest={trace.at_best}
          />
        )}
      </Box>
      <AsTable trace={trace} />
    </Flex>
  );
}

/** The reading that matters, the live one where something is watched. */
function Reading({ store, reading }: { store: LiveStore; reading: string }) {
  const text = useOfWatched(store, (w) => w.live?.text ?? reading);
  return (
    <Text fontFamily="mono" fontSize="64px" lineHeight={1} data-testid="peak-reading">
      {text}
    </Text>
  );
}

type BellProps = {
  points: Sample[];
  store: LiveStore;
  width: number;
  height: number;
  atBest: boolean;
};

function Bell({ points, store, width, height, atBest }: BellProps) {
  const { history } = useWatched(store);
  const drawn = lieOut(points, history, width, height);
  const { now, best } = drawn;
  return (
    <svg width={width} height={height} aria-hidden="true">
      <Box asChild color="inside">
        <line
          x1={drawn.left}
          x2={drawn.right}
          y1={best.y}
          y2={best.y}
          stroke="currentColor"
          strokeDasharray="7 5"
        />
      </Box>
      <Box asChild color="edge">
        <line
          x1={drawn.left}
          x2={drawn.right}
          y1={drawn.base}
          y2={drawn.base}
          stroke="currentColor"
        />
      </Box>
      <Box asChild color="glow">
        <path d={drawn.bell} fill="none" stroke="currentColor" strokeWidth={2.5} />
      </Box>
      {drawn.places.map((place) => (
        <Box asChild key={place.x} color="glow">
          <circle cx={place.x} cy={place.y} r={3} fill="currentColor" />
        </Box>
      ))}
      <Box asChild color="dim">
        <path d={drawn.lately} fill="none" stroke="currentColor" strokeWidth={1.5} />
      </Box>
      {!atBest && drawn.apart && (
        <Box asChild color="ink">
          <g fill="none" stroke="currentColor" strokeWidth={2}>
            <path d={drawn.arrow} />
            <path d={drawn.head} fill="currentColor" />
          </g>
        </Box>
      )}
      <Box asChild color="glow">
        <circle cx={now.x} cy={now.y} r={9} fill="currentColor" />
      </Box>
      {drawn.ticks.map((tick) => (
        <Box asChild key={tick.text} color="dim">
          <text
            x={tick.x}
            y={drawn.base + 18}
            fontSize={14}
            textAnchor="middle"
            fill="currentColor"
          >
            {tick.text}
          </text>
        </Box>
      ))}
      <Box asChild color="dim">
        <text
          x={(drawn.left + drawn.right) / 2}
          y={drawn.base + 36}
          fontSize={14}
          textAnchor="middle"
          fill="currentColor"
        >
          turns from where it was best, clockwise to the right
        </text>
      </Box>
    </svg>
  );
}

/** The same for those who cannot see it. */
function AsTable({ trace }: { trace: Trace }) {
  return (
    <VisuallyHidden>
      <Table.Root>
        <Table.Caption>Turns and readings of this movement</Table.Caption>
        <Table.Body>
          {trace.points.map((point, n) => (
            <Table.Row key={n}>
              <Table.Cell>{point.turns.toFixed(3)}</Table.Cell>
              <Table.Cell>{point.value.toFixed(3)}</Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </VisuallyHidden>
  );
}
