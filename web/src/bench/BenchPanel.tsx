import { Box, Button, Flex, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";

import type { Bench, Step } from "../api/client";
import { benchQuery } from "../api/queries";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import type { Watch } from "./useWatch";
import { WatchBox } from "./WatchBox";
import { PlainButton } from "../shared/Buttons";

type Props = {
  jobId: number;
  step: Step | null;
  busy: boolean;
  trouble: unknown;
  watch: Watch;
  stopped: string;
  onStop: () => void;
  onCapture: () => void;
  onMeasure: () => void;
  onTurn: (turns: number) => void;
};

const LINKS: Record<string, string> = {
  hand: "by hand",
  network: "network",
  simulated: "simulated set",
};

/** What is connected, its live values, and the hands that work it. */
export function BenchPanel(props: Props) {
  const { jobId, step, busy, trouble, watch, stopped, onStop, onCapture, onMeasure, onTurn } =
    props;
  const { data: bench } = useQuery(benchQuery(jobId));
  if (!bench) return <Box bg="panel" p={4} minH="120px" />;
  const open = step !== null && step.cautions.length === 0 && step.status !== "blocked";
  const measurable = open && Boolean(step.ask?.measurable);
  return (
    <Stack as="section" aria-label="Bench" bg="panel" px={4} py={3} gap={2}>
      <Flex justify="space-between" align="baseline">
        <Heading fontSize="20px" fontWeight={500}>
          Bench
        </Heading>
        <Text color="dim" fontSize="15px" data-testid="link">
          {LINKS[bench.link] ?? bench.link}
        </Text>
      </Flex>
      {bench.link === "hand" && (
        <Text color="dim" fontSize="15px">
          Readings are typed. Two that belong together go on one line, with a space between.
        </Text>
      )}
      {bench.link === "simulated" && (
        <Live bench={bench} peaking={Boolean(step?.adjuster) && bench.held_step === step?.key} />
      )}
      {bench.link !== "hand" && (
        <Stack gap={2}>
          <Button
            h="48px"
            bg={measurable ? "glow" : "raised"}
            color={measurable ? "onGlow" : "dim"}
            disabled={!measurable}
            loading={busy}
            onClick={onMeasure}
            data-testid="measure"
          >
            Take the reading <KeyHint keys="F2" />
          </Button>
          {bench.link === "simulated" && measurable && step?.adjuster && (
            <Turning busy={busy} onTurn={onTurn} />
          )}
        </Stack>
      )}
      {bench.link !== "hand" && (
        <WatchBox
          watch={watch}
          large={bench.link === "network"}
          stopped={stopped}
          onStop={onStop}
          onCapture={onCapture}
        />
      )}
      <Trouble error={trouble} />
    </Stack>
  );
}

function Live({ bench, peaking }: { bench: Bench; peaking: boolean }) {
  return (
    <Stack gap={2}>
      <Flex gap={4} wrap="wrap">
        {bench.meters.map((meter, n) => (
          <Box key={meter.key}>
            <Text fontSize="14px" color="dim">
              {meter.label}
            </Text>
            <Text
              fontFamily="mono"
              fontSize={n === 0 ? "40px" : "22px"}
              lineHeight={n === 0 ? 1 : "40px"}
              whiteSpace="nowrap"
              data-testid={`meter-${meter.key}`}
            >
              {meter.text}
            </Text>
          </Box>
        ))}
      </Flex>
      {peaking && bench.held_v !== null && (
        <Text fontSize="15px" data-testid="peak-hold">
          peak held {bench.held_v.toFixed(2)} V: {bench.peak_words}
          {bench.turned ? `; turned ${bench.turned}` : ""}
        </Text>
      )}
      <Text fontSize="14px" color="dim">
        {bench.generator ? `generator ${bench.generator}` : "generator not connected"}
        {bench.dial ? `; dial ${bench.dial}` : ""}
      </Text>
    </Stack>
  );
}

const TURNS: [number, string, string][] = [
  [-0.25, "↶ 1/4", "Shift+↓"],
  [-0.0625, "↶ 1/16", "↓"],
  [0.0625, "↷ 1/16", "↑"],
  [0.25, "↷ 1/4", "Shift+↑"],
];

function Turning({ busy, onTurn }: { busy: boolean; onTurn: (turns: number) => void }) {
  return (
    <Flex gap={2} role="group" aria-label="Turn the adjuster">
      {TURNS.map(([turns, words, keys]) => (
        <PlainButton
          key={words}
          flex="1"
          h="52px"
          px={1}
          flexDirection="column"
          gap={0}
          disabled={busy}
          aria-label={`turn ${turns > 0 ? "clockwise" : "counter-clockwise"} ${Math.abs(turns)}`}
          onClick={() => onTurn(turns)}
        >
          <span>{words}</span>
          <Text as="span" fontSize="13px" color="dim" fontFamily="mono">
            {keys}
          </Text>
        </PlainButton>
      ))}
    </Flex>
  );
}
