import { Box, Flex, Grid, Heading, Stack, Table, Text } from "@chakra-ui/react";

import { lazy, Suspense } from "react";

import type { Schemas, Step } from "../api/client";
import { KeyHint } from "../shared/KeyHint";
import { Plot } from "../shared/Plot";
import { Trouble } from "../shared/Trouble";
import { VerdictShape } from "../shared/VerdictShape";
import { WindowBar } from "../shared/WindowBar";
import { AskForm } from "./AskForm";
import { CautionCard } from "./CautionCard";
import type { OpenJob } from "./useJob";
import { LitButton, PlainButton } from "../shared/Buttons";

type Props = { open: OpenJob; step: Step };

const Panels = lazy(() => import("./Panels"));
const PeakTrace = lazy(() => import("../pictures/PeakTrace"));
const ReadingTable = lazy(() => import("../pictures/ReadingTable"));
const SupplyDrawing = lazy(() => import("../pictures/SupplyDrawing"));

/** The picture of a step, if it has one: what is looked at gets the ground, all else stands close. */
export function seenAt({ step, bench }: OpenJob) {
  const peaking = step?.adjuster && bench?.held_step === step.key && step.cautions.length === 0;
  const trace = peaking ? bench.trace : null;
  return { trace, pictured: Boolean(step?.picture ?? step?.table ?? trace) };
}

/** What to do now and why, what to expect, the one input, and what was measured here. */
export function StepCard({ open, step }: Props) {
  const { job, ask, writing, taken, state } = open;
  const { kept, lost } = state;
  const onGoOn = () => open.go(null);
  const gated = step.cautions.length > 0;
  const blocked = step.blocked && !gated;
  const finished = step.ask === null && !blocked;
  const { trace, pictured } = seenAt(open);
  return (
    <Flex
      as="main"
      direction="column"
      gap={pictured ? "6px" : 3}
      bg="panel"
      px={4}
      py={pictured ? 2 : 4}
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
          <Flex gap={3} align="center" justify="flex-end" flex="1 1 0" minW="200px">
            {pictured && kept && <KeptLine kept={kept} />}
            <StatusWord step={step} />
          </Flex>
        </Flex>
        <Text
          color="dim"
          fontSize="16px"
          {...(pictured ? { lineClamp: 1, title: step.reason } : { mt: 1 })}
        >
          {step.reason}
        </Text>
      </Box>
      {kept && !pictured && <KeptLine kept={kept} />}
      {lost && (
        <Box>
          <Trouble error={lost.error} />
          <Text fontSize="15px" mt={1}>
            You had typed: <b>{lost.typed}</b>
          </Text>
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
              />
            )}
            {!step.asks_in_panel && !pictured && (
              <Others step={step} asked={ask?.key ?? ""} onPick={open.pick} />
            )}
            {finished && <Finished step={step} last={!job.next_step} onGoOn={onGoOn} />}
            {step.closable && !pictured && (
              <Box mt={2}>
                <GoodEnough open={open} />
              </Box>
            )}
          </Box>
          {!pictured && <Leads step={step} />}
        </Grid>
      )}
      {!gated && pictured && (
        <>
          <Suspense fallback={<Box flex="1 0 240px" />}>
            {trace ? (
              <PeakTrace
                trace={trace}
                reading={open.bench?.meters[0]?.text ?? ""}
                live={open.watch.history}
              />
            ) : (
              step.picture && <SupplyDrawing picture={step.picture} />
            )}
            {step.table && (
              <ReadingTable
                table={step.table}
                asked={ask?.key ?? ""}
                open={blocked ? [] : asksOf(step)}
                onPick={open.pick}
              />
            )}
          </Suspense>
          <Flex gap={4} align="center" wrap="wrap">
            <Found results={step.results.filter((r) => !inTable(step, r.label))} />
            {!blocked && <Others step={step} asked={ask?.key ?? ""} onPick={open.pick} />}
            {!blocked && step.closable && <GoodEnough open={open} />}
          </Flex>
          <Flex gap={4} justify="space-between" wrap="wrap">
            <FoldedLeads step={step} />
            <Reminder step={step} />
          </Flex>
        </>
      )}
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
            <Panels
              job={job}
              step={step}
              asked={ask?.key ?? ""}
              writing={writing}
              onPick={open.pick}
            />
          </Suspense>
        </Box>
      )}
      {step.gaps.map((gap) => (
        <Text key={gap.what} fontSize="14px" color="dim">
          Not on the sheet: {gap.what}; {gap.instead}.
        </Text>
      ))}
      {(gated || !pictured) && (step.results.length > 0 || step.plot) && (
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

/** Whether a result stands in the step's table: it begins with the name of one of its rows. */
const inTable = (step: Step, label: string) =>
  step.table?.rows.some((row) => label.startsWith(`${row.label} `)) ?? false;

const asksOf = (step: Step) => [...(step.ask ? [step.ask] : []), ...step.others].map((a) => a.key);

/** The other questions that the step takes now, in any order. */
function Others({
  step,
  asked,
  onPick,
}: {
  step: Step;
  asked: string;
  onPick: (k: string) => void;
}) {
  // a row of a table is picked there
  const rows = (step.table?.rows ?? []).map((row) => row.ask);
  const all = [...(step.ask ? [step.ask] : []), ...step.others];
  const others = all.filter((a) => a.key !== asked && !rows.includes(a.key));
  if (others.length === 0) return null;
  return (
    <Flex gap={2} mt={2} wrap="wrap" align="center" data-testid="others">
      <Text fontSize="15px" color="dim">
        or take
      </Text>
      {others.map((other) => (
        <PlainButton key={other.key} px={3} onClick={() => onPick(other.key)} title={other.prompt}>
          {other.called}
        </PlainButton>
      ))}
    </Flex>
  );
}

function Reminder({ step }: { step: Step }) {
  if (step.reminded.length === 0) return null;
  return (
    <Text fontSize="14px" color="dim" data-testid="reminded">
      ▲ Remember: {step.reminded.join(", ")}.
    </Text>
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

function GoodEnough({ open }: { open: OpenJob }) {
  return (
    <PlainButton onClick={() => open.open("close")}>
      Good enough: close with a reason <KeyHint keys="F4" />
    </PlainButton>
  );
}

export function Advice({ lines }: { lines: string[] }) {
  if (lines.length === 0) return null;
  return (
    <Stack gap={1} borderLeftWidth="4px" borderColor="glow" pl={3} data-testid="advice">
      {lines.map((line) => (
        <Text key={line} fontSize="16px" whiteSpace="pre-line">
          {line}
        </Text>
      ))}
    </Stack>
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

/** What was measured here in a line; every window behind one key. */
function Found({ results }: { results: Step["results"] }) {
  if (results.length === 0) return null;
  return (
    <Box asChild fontSize="15px">
      <details>
        <summary>
          <Flex as="span" display="inline-flex" gap={4} wrap="wrap" data-testid="found">
            {results.map((r) => (
              <Flex as="span" key={`${r.seq} ${r.label}`} gap={1} align="center">
                <VerdictShape verdict={r.verdict} />
                <Text as="span" color="dim">
                  {r.label}
                </Text>
                <Text as="span" fontFamily="mono">
                  {r.text}
                </Text>
              </Flex>
            ))}
          </Flex>
        </summary>
        <Box
          maxH="180px"
          overflowY="auto"
          tabIndex={0}
          role="region"
          aria-label="What was measured"
        >
          {[...results].reverse().map((found) => (
            <WindowBar key={`${found.seq} ${found.label}`} result={found} />
          ))}
        </Box>
      </details>
    </Box>
  );
}

/** Where the picture shows the leads, their table is folded. */
function FoldedLeads({ step }: { step: Step }) {
  if (step.leads.length === 0 && step.controls.length === 0) return null;
  return (
    <Box asChild fontSize="14px" color="dim">
      <details>
        <summary>Leads and controls as a table</summary>
        <Leads step={step} />
      </details>
    </Box>
  );
}

function Leads({ step }: { step: Step }) {
  if (step.leads.length === 0 && step.controls.length === 0) return null;
  return (
    <Box fontSize="14px" borderLeftWidth="1px" borderColor="edge" pl={3} data-testid="leads">
      {step.leads.length > 0 && (
        <Table.Root size="sm" variant="line">
          <Table.Header>
            <Table.Row bg="transparent">
              {["from", "through", "to"].map((head) => (
                <Table.ColumnHeader key={head} p="2px" color="dim" fontWeight={400}>
                  {head}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {step.leads.map((lead) => (
              <Table.Row key={`${lead.source} ${lead.to}`} bg="transparent">
                {[lead.source, lead.through || "directly", lead.to].map((word, n) => (
                  <Table.Cell key={n} p="2px" verticalAlign="top" lineHeight={1.2}>
                    {word}
                  </Table.Cell>
                ))}
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      )}
      {step.controls.map((control) => (
        <Text key={control} mt={1} lineHeight={1.2}>
          · {control}
        </Text>
      ))}
    </Box>
  );
}
