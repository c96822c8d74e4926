import { Box, Flex, Grid, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import type { Job } from "../api/client";
import { jobQuery } from "../api/queries";
import { useWhere } from "../app/Frame";
import { BenchPanel } from "../bench/BenchPanel";
import { OnOffChanged } from "../bench/OnOffChanged";
import { BareButton, PlainButton } from "../shared/Buttons";
import { JourneyScale } from "../shared/JourneyScale";
import { KeyHint } from "../shared/KeyHint";
import { Plot } from "../shared/Plot";
import { LogDrawer } from "../shared/LogDrawer";
import { Trouble } from "../shared/Trouble";
import { useKeys } from "../shared/useKeys";
import { JobDialogs } from "./JobDialogs";
import { seenAt } from "./seenAt";
import { StepCard } from "./StepCard";
import { Advice } from "./StepParts";
import { stopStep, whereWords } from "./steps";
import { type OpenJob, useJob } from "./useJob";

const FirstWalk = lazy(() => import("./FirstWalk"));
const ChassisDrawing = lazy(() => import("../pictures/ChassisDrawing"));

function JobPage() {
  const jobId = Number(useParams().jobId);
  const [search] = useSearchParams();
  const { data: job, error } = useQuery(jobQuery(jobId, search.get("step")));
  const where = useWhere();
  useEffect(() => {
    where.set(job ? `${job.set_name} · ${job.title}` : "");
    return () => where.set("");
  }, [where, job]);
  if (job) return <WholeJob job={job} />;
  if (!error) return <Box p={6}>Laying the job out ...</Box>;
  return (
    <Stack p={6} maxW="700px" gap={4}>
      <Trouble error={error} />
      <Text color="glow" textDecoration="underline">
        <Link to="/">To the shelf</Link>
      </Text>
    </Stack>
  );
}

function useJobKeys(open: OpenJob) {
  const { byHand, turning, bench } = open;
  const small = bench?.turn_steps.filter((t) => !t.large) ?? [];
  const large = bench?.turn_steps.filter((t) => t.large) ?? [];
  const by = (steps: typeof small, way: number) => () => {
    const step = steps.find((t) => Math.sign(t.turns) === way);
    if (step) open.turn(step.turns);
  };
  useKeys([
    { key: "F1", run: () => open.open("park") },
    { key: "F2", run: open.measure, when: !byHand },
    { key: "F3", run: open.capture, when: !byHand },
    { key: "F6", run: open.watch.toggle, when: !byHand },
    { key: "F7", run: open.watch.toggleTone, when: !byHand },
    { key: "ArrowUp", run: by(small, 1), when: turning },
    { key: "ArrowDown", run: by(small, -1), when: turning },
    { key: "Shift+ArrowUp", run: by(large, 1), when: turning },
    { key: "Shift+ArrowDown", run: by(large, -1), when: turning },
    { key: "ArrowUp", run: () => open.pickRow(-1), when: open.rows.length > 1 },
    { key: "ArrowDown", run: () => open.pickRow(1), when: open.rows.length > 1 },
    { key: "F4", run: () => open.open("close") },
    { key: "F8", run: open.toggleLog },
    { key: "F10", run: open.wrong },
    { key: "F9", run: () => open.go(null) },
    { key: "Shift+F9", run: open.toStage },
    { key: "PageUp", run: () => open.goBy(-1) },
    { key: "PageDown", run: () => open.goBy(1) },
  ]);
}

function WholeJob({ job }: { job: Job }) {
  const open = useJob(job);
  const { step, ask, state } = open;
  useJobKeys(open);
  const lines = (step?.advice.length ?? 0) + (step?.notes.length ?? 0);
  const seen = seenAt(open);
  const pictured = seen.pictured && step?.cautions.length === 0;
  const advised = lines > 0 && pictured;
  return (
    <Flex
      direction="column"
      h="100%"
      minH={0}
      data-testid="job"
      data-version={job.version}
      data-step={step?.key}
      data-ask={ask?.key}
      data-measurable={ask?.measurable ?? false}
      data-thinking={job.thinking}
    >
      <JourneyScale
        stages={job.stages}
        at={step?.stage ?? ""}
        index={job.steps
          .filter((s) => s.stage === step?.stage)
          .findIndex((s) => s.key === step?.key)}
        onGo={(stage) => open.go(stopStep(job.steps, stage))}
      />
      <StepLine open={open} />
      <Grid
        templateColumns={{ base: "1fr", lg: "minmax(0, 1fr) 380px" }}
        gap={4}
        px={4}
        pb={2}
        flex="1"
        minH={0}
        overflowY={{ base: "auto", lg: "hidden" }}
      >
        {step ? <StepCard open={open} step={step} /> : <Box />}
        <Stack gap={3} minH={0} overflowY="auto">
          {step && advised && (
            <Box bg="panel" p={3} flexShrink={0}>
              <Advice lines={[...step.advice, ...step.notes]} />
            </Box>
          )}
          {pictured && step?.plot && !(seen.plot && !seen.trace) && (
            <Flex
              direction="column"
              bg="panel"
              p={3}
              flex="1 0 170px"
              maxH="300px"
              data-testid="side-plot"
            >
              <Plot plot={step.plot} />
            </Flex>
          )}
          <BenchPanel open={open} />
          {step?.chassis && step.cautions.length === 0 && (
            <Box bg="panel" p={3} flexShrink={0}>
              <Suspense fallback={<Box h="190px" />}>
                <ChassisDrawing picture={step.chassis} jobId={job.job_id} />
              </Suspense>
            </Box>
          )}
          <OnOffChanged job={job} stepKey={step?.key ?? ""} writing={open.writing} />
        </Stack>
      </Grid>
      <LogDrawer
        lines={job.log}
        open={state.log}
        onToggle={open.toggleLog}
        onWithdraw={(seq) => open.writing.write("/api/jobs/{job_id}/withdrawals", { seq })}
      />
      <JobDialogs open={open} />
      <Suspense fallback={null}>
        <FirstWalk />
      </Suspense>
    </Flex>
  );
}

/** Where one is in the journey, and the ways beside it. */
function StepLine({ open }: { open: OpenJob }) {
  const { job, here } = open;
  const navigate = useNavigate();
  const to = (place: string) => void navigate(`/jobs/${job.job_id}/${place}`);
  return (
    <Flex px={4} py="2px" gap={2} align="center" minH="44px" color="dim" fontSize="15px">
      <BareButton onClick={() => open.goBy(-1)}>
        ‹ Back <KeyHint keys="PgUp" />
      </BareButton>
      <BareButton onClick={open.toStage} title="All steps of this stage at a glance: Shift+F9">
        {whereWords(job, here)}
      </BareButton>
      <BareButton onClick={() => open.goBy(1)}>
        On › <KeyHint keys="PgDn" />
      </BareButton>
      <Box flex="1" />
      {!job.closed_at && (
        <PlainButton borderColor="outside" color="outside" onClick={open.wrong}>
          ▲ Something is wrong <KeyHint keys="F10" />
        </PlainButton>
      )}
      {job.closed_at ? (
        <BareButton onClick={() => open.open("reopen")}>Open it again</BareButton>
      ) : (
        <BareButton onClick={() => open.open("park")}>
          Park <KeyHint keys="F1" />
        </BareButton>
      )}
      <BareButton onClick={() => to("registers")}>
        Registers{job.parked > 0 ? ` (${job.parked} parked)` : ""}
      </BareButton>
      <BareButton onClick={() => open.open("who")}>Who</BareButton>
      <BareButton onClick={() => open.open("keys")}>Keys</BareButton>
      <BareButton onClick={() => to("report")}>Report</BareButton>
    </Flex>
  );
}

export const route = { Component: JobPage };
