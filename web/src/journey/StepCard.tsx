import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";

import { lazy, Suspense } from "react";

import type { Schemas, Step } from "../api/client";
import { KeyHint } from "../shared/KeyHint";
import { Plot } from "../shared/Plot";
import { Trouble } from "../shared/Trouble";
import { VerdictShape } from "../shared/VerdictShape";
import { WindowBar } from "../shared/WindowBar";
import { AskForm } from "./AskForm";
import { CautionCard } from "./CautionCard";
import { seenAt } from "./seenAt";
import { Advice, GoodEnough, Leads, NotWorkedOut, Others, Reminder } from "./StepParts";
import { Picture, StepPicture } from "./StepPicture";
import type { OpenJob } from "./useJob";
import { LitButton } from "../shared/Buttons";

type Props = { open: OpenJob; step: Step };

const Panels = lazy(() => import("./Panels"));

/** What to do now and why, what to expect, the one input, and what was measured here. */
export function StepCard({ open, step }: Props) {
  const { job, ask, writing, taken, state } = open;
  const { kept, lost } = state;
  const onGoOn = () => open.go(null);
  const gated = step.cautions.length > 0;
  const blocked = step.blocked && !gated;
  const finished = step.ask === null && !blocked;
  const { pictured } = seenAt(open);
  return (
    <Flex
      as="main"
      direction="column"
      gap={pictured ? "4px" : 3}
      bg="panel"
      px={4}
      py={pictured ? "6px" : 4}
      minH={0}
      overflowY="auto"
      data-testid="step"
    >
      <Box>
        <Flex justify="space-between" gap={3} align="start">
          <Heading
            fontSize={pictured ? "22px" : "26px"}
            lineHeight={1.15}
            fontWeight={500}
            flex={pictured ? "0 1 auto" : "1"}
            data-testid="step-title"
          >
            {step.title}
          </Heading>
          <Flex
            gap={3}
            align="center"
            justify="flex-end"
            {...(pictured ? { flex: "1 1 0", minW: "200px" } : { flexShrink: 0 })}
          >
            {pictured && kept && <KeptLine kept={kept} />}
            <StatusWord step={step} />
          </Flex>
        </Flex>
        <Text
          color="dim"
          fontSize="16px"
          {...(pictured ? { lineClamp: 1, lineHeight: 1.2, title: step.reason } : { mt: 1 })}
        >
          {step.reason}
        </Text>
      </Box>
      {kept && !pictured && <KeptLine kept={kept} />}
      {lost && (
        <Box>
          <Trouble error={lost.error} />
          {lost.typed && (
            <Text fontSize="15px" mt={1}>
              You had typed: <b>{lost.typed}</b>
            </Text>
          )}
        </Box>
      )}
      {gated && <CautionCard step={step} writing={writing} />}
      {blocked && <Blocked step={step} next={job.next_step} onGoOn={onGoOn} />}
      {step.closed_because && (
        <Text data-testid="closed-because">Closed by decision: {step.closed_because}</Text>
      )}
      {step.thinking && (
        <Text role="status" color="dim" data-testid="thinking">
          Being worked out from the readings; what comes of it appears here.
        </Text>
      )}
      {step.failed && !step.closed_because && <NotWorkedOut step={step} open={open} />}
      {!gated && !pictured && <Reminder step={step} />}
      {!gated && !pictured && <Advice lines={[...step.advice, ...step.notes]} />}
      {!gated && !blocked && (
        <Grid
          templateColumns={step.leads.length && !pictured ? "minmax(0,1fr) 300px" : "1fr"}
          gap={4}
        >
          <Box minW={0}>
            {ask && (
              <AskForm
                key={`${step.key} ${ask.key}`}
                jobId={job.job_id}
                step={step}
                ask={ask}
                writing={writing}
                taken={taken}
                onKept={open.keep}
                onLost={open.lose}
                compact={pictured}
                onCell={open.setCell}
                turnSteps={open.bench?.turn_steps ?? []}
                onSwept={open.swept.set}
              />
            )}
            {!pictured && <Others step={step} asked={ask?.key ?? ""} onPick={open.pick} />}
            {finished && <Finished step={step} last={!job.next_step} onGoOn={onGoOn} />}
            {finished && !pictured && <Said said={step.said} />}
            {step.closable && !pictured && (
              <Box mt={2}>
                <GoodEnough open={open} />
              </Box>
            )}
          </Box>
          {!pictured && <Leads step={step} />}
        </Grid>
      )}
      {gated && pictured && (
        // what the caution leaves: never so much that the step would scroll
        <Flex direction="column" flex="1 1 0" minH={0} overflow="hidden">
          <Picture open={open} step={step} />
        </Flex>
      )}
      {!gated && pictured && <StepPicture open={open} step={step} />}
      {!gated && step.panels.length > 0 && (
        <Box
          flex="1 1 0"
          minH="120px"
          overflowY="auto"
          tabIndex={0}
          role="region"
          aria-label="Registers of this step"
        >
          <Suspense fallback={null}>
            <Panels job={job} step={step} asked={ask?.key ?? ""} writing={writing} />
          </Suspense>
        </Box>
      )}
      {step.gaps.map((gap) => (
        <Text key={gap.what} fontSize="14px" color="dim">
          Not on the sheet: {gap.what}; {gap.instead}.
        </Text>
      ))}
      {!pictured && (step.results.length > 0 || step.plot) && (
        <Grid
          templateColumns={
            step.plot && step.results.length ? "minmax(0, 1.2fr) minmax(0, 1fr)" : "1fr"
          }
          templateRows="minmax(0, 1fr)"
          gap={4}
          minH={0}
          flex="1"
        >
          {step.results.length > 0 && (
            <Box
              overflowY="auto"
              minH={0}
              tabIndex={0}
              role="region"
              aria-label="What was measured"
            >
              {[...step.results].reverse().map((found) => (
                <WindowBar key={`${found.seq} ${found.label}`} result={found} />
              ))}
            </Box>
          )}
          {step.plot && <Plot plot={step.plot} />}
        </Grid>
      )}
    </Flex>
  );
}

function StatusWord({ step }: { step: Step }) {
  if (!step.status_words) return null;
  return (
    <Text
      flexShrink={0}
      fontSize="15px"
      px={2}
      py="2px"
      borderWidth="1px"
      borderRadius="3px"
      color={step.shouts ? "outside" : "inside"}
      data-testid="status"
    >
      {step.shouts ? "▲ " : "◆ "}
      {step.status_words}
    </Text>
  );
}

function KeptLine({ kept }: { kept: Schemas["Written"] }) {
  if (!kept.echo) return null;
  return (
    <Flex gap={2} align="center" fontSize="15px" role="status" data-testid="kept">
      {kept.verdict && <VerdictShape verdict={kept.verdict} />}
      <Text fontFamily="mono" lineClamp={1} title={kept.echo}>
        kept: {kept.echo}
        {kept.words ? `, ${kept.words}` : ""}
      </Text>
    </Flex>
  );
}

function Blocked({ step, next, onGoOn }: { step: Step; next: string; onGoOn: () => void }) {
  return (
    <Stack gap={2} borderLeftWidth="4px" borderColor="outside" pl={3} data-testid="blocked">
      <Text fontWeight={600}>This step is not open yet:</Text>
      {step.blocked_by.map((line) => (
        <Text key={line}>{line}</Text>
      ))}
      {next !== step.key && (
        <Box>
          <LitButton onClick={onGoOn}>
            To what is next <KeyHint keys="F9" />
          </LitButton>
        </Box>
      )}
    </Stack>
  );
}

/** What was entered in a step that is done, newest first. */
function Said({ said }: { said: Step["said"] }) {
  if (said.length === 0) return null;
  return (
    <Box mt={3} data-testid="said">
      <Text color="dim" fontSize="15px">
        What was entered here
      </Text>
      {[...said].reverse().map((line) => (
        <Flex key={line.seq} gap={3} py="2px" fontSize="16px" align="baseline">
          <Text fontFamily="mono" color="dim" flexShrink={0}>
            {line.at.slice(11, 16)}
          </Text>
          {line.verdict && <VerdictShape verdict={line.verdict} />}
          <Text whiteSpace="pre-line">
            {line.text}
            {line.words ? `, ${line.words}` : ""}
          </Text>
        </Flex>
      ))}
    </Box>
  );
}

function Finished({ step, last, onGoOn }: { step: Step; last: boolean; onGoOn: () => void }) {
  return (
    <Flex gap={4} align="center">
      <Text>{last ? "The journey is at its end." : `This step is ${step.status}.`}</Text>
      {!last && (
        <LitButton onClick={onGoOn}>
          To what is next <KeyHint keys="F9" />
        </LitButton>
      )}
    </Flex>
  );
}
