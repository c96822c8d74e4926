import { Box, Flex, Grid, Stack, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import type { Job, Schemas } from "../api/client";
import { benchQuery, jobQuery } from "../api/queries";
import { useWhere } from "../app/Frame";
import { BenchPanel } from "../bench/BenchPanel";
import { Registers } from "../bench/Registers";
import { FormDialog } from "../shared/FormDialog";
import { JourneyScale } from "../shared/JourneyScale";
import { KeyHint } from "../shared/KeyHint";
import { LogDrawer } from "../shared/LogDrawer";
import { Trouble } from "../shared/Trouble";
import { useKeys } from "../shared/useKeys";
import { stopOutputs } from "../bench/stopOutputs";
import { useWatch } from "../bench/useWatch";
import { StepCard } from "./StepCard";
import { neighbour, stopStep } from "./steps";
import { useWrites } from "./useWrites";
import { BareButton } from "../shared/Buttons";

function JobPage() {
  const jobId = Number(useParams().jobId);
  const [search] = useSearchParams();
  const { data: job, error } = useQuery(jobQuery(jobId, search.get("step")));
  const where = useWhere();
  useEffect(() => {
    where.set(job ? `${job.set_name} · ${job.title}` : "");
    return () => where.set("");
  }, [where, job]);
  if (job) return <OpenJob job={job} />;
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

const KEYS = [
  ["Enter", "keep what stands in the input, or say that it is so"],
  ["F1", "park what you saw: not now, not lost"],
  ["F2", "take the reading at the bench"],
  ["F3", "the value watched now into the input; a foot switch may type it"],
  ["↑ ↓", "turn the adjuster 1/16; with Shift 1/4"],
  ["F4", "close the step with a reason"],
  ["F6 F7", "watch the AVC value; let its tone be heard"],
  ["F8", "open or close the log"],
  ["F9", "to what is next"],
  ["F10", "all outputs off at once"],
  ["PgUp PgDn", "one step back, one step on"],
  ["1 ... 9 0", "on the journey scale: to that stop; arrows move along it"],
];

type Taken = { line: string; remarks: string[]; question: string; append: boolean };

function OpenJob({ job }: { job: Job }) {
  const [, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const writes = useWrites(job.job_id, job.version);
  const [taken, setTaken] = useState<Taken | null>(null);
  const [kept, setKept] = useState<Schemas["Written"] | null>(null);
  const [lost, setLost] = useState<{ error: unknown; typed: string } | null>(null);
  const [stopped, setStopped] = useState("");
  const [log, setLog] = useState(false);
  const [closing, setClosing] = useState(false);
  const [keys, setKeys] = useState(false);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<unknown>(null);
  const waiting = useRef(0);
  const working = useRef(false);
  const step = job.step;
  const [picked, setPicked] = useState({ step: "", ask: "" });
  const [parking, setParking] = useState(false);
  const mine = picked.step === step?.key ? picked.ask : "";
  const ask = step?.others.find((other) => other.key === mine) ?? step?.ask ?? null;
  const question = `${step?.key} ${ask?.key}`;
  const here = job.steps.findIndex((s) => s.key === step?.key);

  const go = (key: string | null) => {
    setKept(null);
    setLost(null);
    setTrouble(null);
    setSearch(key && key !== job.next_step ? { step: key } : {});
  };
  const atBench = async (work: () => Promise<void>) => {
    if (working.current) return;
    working.current = true;
    setBusy(true);
    setTrouble(null);
    try {
      await work();
    } catch (error) {
      waiting.current = 0;
      setTrouble(error);
    } finally {
      working.current = false;
      setBusy(false);
    }
  };
  const measure = () =>
    void atBench(async () => {
      if (!step) return;
      const done = await writes.measure(step.key, ask === step.ask ? "" : (ask?.key ?? ""));
      setTaken({ line: done.line, remarks: done.remarks, question, append: false });
    });
  const watch = useWatch(job.job_id);
  const capture = () => {
    const typed = watch.live?.typed;
    if (typed) setTaken({ line: typed, remarks: [], question, append: true });
    else if (!watch.on) watch.toggle();
  };
  // keys may come faster than the bench answers: turns add up while one is under way
  const turn = (turns: number) => {
    waiting.current += turns;
    void atBench(async () => {
      while (step && waiting.current !== 0) {
        const together = waiting.current;
        waiting.current = 0;
        await writes.turn(step.key, together);
      }
    });
  };
  // never waits for what the bench is doing
  const stop = () => {
    setStopped("Switching all outputs off ...");
    stopOutputs(job.job_id)
      .then(setStopped, (error: Error) => setStopped(error.message))
      .finally(() => void queries.invalidateQueries({ queryKey: benchQuery(job.job_id).queryKey }));
  };
  const onKept = (written: Schemas["Written"]) => {
    // the next question may have its reading already
    setTaken((held) => (held?.question === question ? null : held));
    setPicked((held) => (held.ask === ask?.key ? { step: "", ask: "" } : held));
    setTrouble(null);
    setKept(written);
    setLost(null);
    if (written.next_step !== step?.key) setSearch({});
  };

  const simulated = job.link === "simulated";
  const turning = simulated && Boolean(step?.adjuster) && Boolean(step?.ask?.measurable);
  const step_by = (way: number) => go(neighbour(job.steps, here, way));
  useKeys([
    { key: "F1", run: () => setParking(true) },
    { key: "F2", run: measure, when: job.link !== "hand" },
    { key: "F3", run: capture, when: job.link !== "hand" },
    { key: "F6", run: watch.toggle, when: job.link !== "hand" },
    { key: "F7", run: watch.toggleTone, when: job.link !== "hand" },
    { key: "ArrowUp", run: () => turn(0.0625), when: turning },
    { key: "ArrowDown", run: () => turn(-0.0625), when: turning },
    { key: "Shift+ArrowUp", run: () => turn(0.25), when: turning },
    { key: "Shift+ArrowDown", run: () => turn(-0.25), when: turning },
    { key: "F4", run: () => setClosing(true) },
    { key: "F8", run: () => setLog(!log) },
    { key: "F10", run: stop, when: job.link !== "hand" },
    { key: "F9", run: () => go(null) },
    { key: "PageUp", run: () => step_by(-1) },
    { key: "PageDown", run: () => step_by(1) },
  ]);

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
    >
      <JourneyScale
        stages={job.stages}
        at={step?.stage ?? ""}
        index={job.steps
          .filter((s) => s.stage === step?.stage)
          .findIndex((s) => s.key === step?.key)}
        onGo={(stage) => go(stopStep(job.steps, stage))}
      />
      <Flex px={4} py="2px" gap={2} align="center" minH="44px" color="dim" fontSize="15px">
        <BareButton onClick={() => step_by(-1)}>
          ‹ Back <KeyHint keys="PgUp" />
        </BareButton>
        <Text>
          step {here + 1} of {job.steps.length}
        </Text>
        <BareButton onClick={() => step_by(1)}>
          On › <KeyHint keys="PgDn" />
        </BareButton>
        <Box flex="1" />
        <BareButton onClick={() => setParking(true)}>
          Park <KeyHint keys="F1" />
        </BareButton>
        <BareButton onClick={() => void navigate(`/jobs/${job.job_id}/registers`)}>
          Registers{job.parked > 0 ? ` (${job.parked} parked)` : ""}
        </BareButton>
        <BareButton onClick={() => setKeys(true)}>Keys</BareButton>
        <BareButton onClick={() => void navigate(`/jobs/${job.job_id}/report`)}>Report</BareButton>
      </Flex>
      <Grid
        templateColumns={{ base: "1fr", lg: "minmax(0, 1fr) 380px" }}
        gap={4}
        px={4}
        pb={2}
        flex="1"
        minH={0}
        overflowY={{ base: "auto", lg: "hidden" }}
      >
        {step ? (
          <StepCard
            job={job}
            step={step}
            ask={ask}
            onPick={(key) => setPicked({ step: step.key, ask: key })}
            writes={writes}
            taken={taken?.question === question ? taken : null}
            kept={kept}
            lost={lost}
            onLost={(error, typed) => {
              setKept(null);
              setLost({ error, typed });
            }}
            onKept={onKept}
            onGoOn={() => go(null)}
            onClose={() => setClosing(true)}
          />
        ) : (
          <Box />
        )}
        <Stack gap={3} minH={0}>
          <BenchPanel
            jobId={job.job_id}
            step={step}
            busy={busy}
            trouble={trouble}
            watch={watch}
            stopped={stopped}
            onStop={stop}
            onCapture={capture}
            onMeasure={measure}
            onTurn={turn}
          />
          <Registers job={job} stepKey={step?.key ?? ""} writes={writes} />
        </Stack>
      </Grid>
      <LogDrawer
        lines={job.log}
        open={log}
        onToggle={() => setLog(!log)}
        onWithdraw={writes.withdraw}
      />
      {closing && step && (
        <FormDialog
          title="Good enough: close with a reason"
          words={step.cost ? `It costs: ${step.cost}.` : step.title}
          fields={[
            {
              name: "reason",
              label: "Because",
              kind: "long",
              placeholder: "the owner listens to one station only",
            },
            { name: "by", label: "Decided by", kind: "text", placeholder: "owner, by telephone" },
          ]}
          submit="Close the step"
          onSubmit={(v) =>
            writes.close(step.key, v.reason ?? "", v.by ?? "").then(() => setSearch({}))
          }
          onClose={() => setClosing(false)}
        />
      )}
      {parking && (
        <FormDialog
          title="Park: seen, not now"
          words="It waits in the registers and comes up again before handover."
          fields={[
            { name: "what", label: "What you saw", kind: "text", placeholder: "R14 looks browned" },
            { name: "where", label: "Where", kind: "text", placeholder: "behind V3" },
          ]}
          submit="Park it"
          onSubmit={(v) =>
            writes.enterLine("parked", "", step?.key ?? "", {
              what: v.what ?? "",
              where: v.where ?? "",
            })
          }
          onClose={() => setParking(false)}
        />
      )}
      {keys && (
        <FormDialog
          title="Keys"
          words={KEYS.map(([key, words]) => `${key}: ${words}`).join("\n")}
          fields={[]}
          submit="Good"
          onSubmit={() => Promise.resolve()}
          onClose={() => setKeys(false)}
        />
      )}
    </Flex>
  );
}

export const route = { Component: JobPage };
