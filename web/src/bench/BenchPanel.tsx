import { Box, Flex, Heading, Stack, Text, VisuallyHidden } from "@chakra-ui/react";

import type { Bench } from "../api/client";
import type { OpenJob } from "../journey/useJob";
import { LitButton, PlainButton } from "../shared/Buttons";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import { WatchBox } from "./WatchBox";

/** What is connected, its live values, and the hands that work it. */
export function BenchPanel({ open: job }: { open: OpenJob }) {
  const { step, bench, watch, state } = job;
  if (!bench) return <Box bg="panel" p={4} minH="120px" />;
  const { busy, trouble, stopped } = state.bench;
  const open = step !== null && step.cautions.length === 0 && !step.blocked;
  const measurable = open && Boolean(step.ask?.measurable);
  const simulated = bench.turn_steps.length > 0;
  return (
    <Stack as="section" aria-label="Bench" bg="panel" px={4} py={3} gap={2}>
      <Flex justify="space-between" align="baseline">
        <Heading fontSize="20px" fontWeight={500}>
          Bench
        </Heading>
        <Text color="dim" fontSize="15px" data-testid="link">
          {bench.link_words}
        </Text>
      </Flex>
      {job.byHand && (
        <Text color="dim" fontSize="15px">
          Readings are typed. Two that belong together go on one line, with a space between.
        </Text>
      )}
      {simulated && (
        <Live bench={bench} peaking={Boolean(step?.adjuster) && bench.held_step === step?.key} />
      )}
      {!job.byHand && (
        <Stack gap={2}>
          <LitButton
            h="48px"
            {...(measurable ? {} : { bg: "raised", color: "dim" })}
            disabled={!measurable}
            busy={busy}
            onClick={job.measure}
            data-testid="measure"
          >
            Take the reading <KeyHint keys="F2" />
          </LitButton>
          {simulated && measurable && step?.adjuster && (
            <Turning steps={bench.turn_steps} onTurn={job.turn} />
          )}
        </Stack>
      )}
      {!job.byHand && (
        <WatchBox
          watch={watch}
          large={!simulated}
          watchable={bench.watchable}
          stopped={stopped}
          onStop={job.stop}
          onCapture={job.capture}
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
      {peaking && bench.held && (
        <Text fontSize="15px" data-testid="peak-hold">
          peak held {bench.held}: {bench.peak_words}
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

type TurnStep = Bench["turn_steps"][number];

/** The ways and amounts that the bench offers to turn; their keys are the arrows. */
function Turning({ steps, onTurn }: { steps: TurnStep[]; onTurn: (turns: number) => void }) {
  return (
    <Flex gap={2} role="group" aria-label="Turn the adjuster">
      {steps.map(({ turns, words, large }) => {
        const clockwise = Math.sign(turns) === 1;
        return (
          <PlainButton
            key={turns}
            flex="1"
            h="52px"
            px={1}
            flexDirection="column"
            gap={0}
            onClick={() => onTurn(turns)}
          >
            <VisuallyHidden>turn {clockwise ? "clockwise" : "counter-clockwise"}</VisuallyHidden>
            <span>
              <span aria-hidden="true">{clockwise ? "↷" : "↶"}</span> {words}
            </span>
            <Text as="span" fontSize="13px" color="dim" fontFamily="mono" aria-hidden="true">
              {large ? "Shift+" : ""}
              {clockwise ? "↑" : "↓"}
            </Text>
          </PlainButton>
        );
      })}
    </Flex>
  );
}
