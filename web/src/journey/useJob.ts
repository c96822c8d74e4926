import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useReducer, useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";

import { client, type Job, type Schemas } from "../api/client";
import { benchQuery, questionQuery } from "../api/queries";
import { stopOutputs } from "../bench/stopOutputs";
import { useSweptStore } from "../bench/sweptStore";
import { useWatch } from "../bench/useWatch";
import { AT_REST, type Dialog, jobState, type Taken } from "./jobState";
import { neighbour } from "./steps";
import { useWrite } from "./useWrite";

/** A job without its looks: what is asked, and everything that a person can do about it. */
export function useJob(job: Job) {
  const [, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const writing = useWrite(job.job_id, job.version);
  const { data: bench } = useQuery(benchQuery(job.job_id));
  const watch = useWatch(job.job_id);
  const [state, tell] = useReducer(jobState, AT_REST);
  const [cell, setCell] = useState({ label: "", begun: false });
  const swept = useSweptStore();
  const waiting = useRef(0);
  const working = useRef(false);
  useKnown(job);

  const step = job.step;
  const mine = state.picked.step === step?.key ? state.picked.ask : "";
  const further = useFurther(job.job_id, step?.key ?? "");
  const ask =
    (mine && further.ask?.key === mine ? further.ask : undefined) ??
    step?.others.find((other) => other.key === mine) ??
    (mine && state.picked.series ? step?.others.find((other) => other.series) : undefined) ??
    step?.ask ??
    null;
  const question = `${step?.key} ${ask?.key}`;
  const rows = openRows(step);
  const here = job.steps.findIndex((s) => s.key === step?.key);
  const byHand = job.by_hand;

  const go = (key: string | null) => {
    tell({ type: "gone to another step" });
    setSearch(key && key !== job.next_step ? { step: key } : {});
  };
  const atBench = async (work: () => Promise<void>) => {
    if (working.current) return;
    working.current = true;
    tell({ type: "bench begins" });
    let trouble: unknown = null;
    try {
      await work();
    } catch (error) {
      waiting.current = 0;
      trouble = error;
    } finally {
      working.current = false;
      tell({ type: "bench ends", trouble });
    }
  };

  // never waits for what the bench is doing
  const stop = () => {
    tell({ type: "stopped", words: "Switching all outputs off ..." });
    const { queryKey } = benchQuery(job.job_id);
    stopOutputs(job.job_id)
      .then(
        (words) => tell({ type: "stopped", words }),
        (error: Error) => tell({ type: "stopped", words: error.message }),
      )
      .finally(() => void queries.invalidateQueries({ queryKey }));
  };

  return {
    job,
    step,
    ask,
    state,
    writing,
    bench,
    watch,
    here,
    byHand,
    question,
    taken: state.taken?.question === question ? state.taken : null,
    turning: Boolean(bench?.turn_steps.length && step?.adjuster && step.ask?.measurable),
    go,
    goBy: (way: number) => go(neighbour(job.steps, here, way)),
    cell,
    setCell,
    swept,
    rows,
    pickRow: (way: number) => {
      // what is typed already is not lost by a key
      if (cell.begun) return;
      const at = rows.indexOf(ask?.key ?? "");
      const next = rows[(at + way + rows.length) % rows.length];
      if (next) tell({ type: "picked", step: step?.key ?? "", ask: next, series: false });
    },
    pick: (key: string) => {
      const series = step?.others.some((other) => other.key === key && other.series) ?? false;
      tell({ type: "picked", step: step?.key ?? "", ask: key, series });
    },
    fetchAsk: (key: string) => {
      const known = step?.ask?.key === key || step?.others.some((other) => other.key === key);
      const pick = () => tell({ type: "picked", step: step?.key ?? "", ask: key, series: false });
      if (known) pick();
      else
        further
          .fetch(key)
          .then(pick)
          .catch((error: unknown) => tell({ type: "lost", error, typed: "" }));
    },
    open: (dialog: Dialog | null) => tell({ type: "dialog", dialog }),
    toggleLog: () => tell({ type: "log toggled" }),
    lose: (error: unknown, typed: string) => tell({ type: "lost", error, typed }),
    keep: (written: Schemas["Written"], sent: Taken | null) => {
      tell({
        type: "kept",
        written,
        taken: sent,
        ask: ask?.series ? state.picked.ask : (ask?.key ?? ""),
      });
      if (written.next_step !== step?.key) setSearch({});
    },
    tryAgain: () => {
      const params = { path: { job_id: job.job_id } };
      void client
        .POST("/api/jobs/{job_id}/known", { params })
        .then(() => queries.invalidateQueries());
    },
    toNext: () => setSearch({}),
    toStage: () =>
      void navigate(`/jobs/${job.job_id}/stages/${encodeURIComponent(step?.stage ?? "")}`),
    measure: () =>
      void atBench(async () => {
        if (!step) return;
        const other = ask === step.ask ? "" : (ask?.key ?? "");
        const body = { step: step.key, ask: other };
        const done = await writing.write("/api/jobs/{job_id}/bench/measurements", body);
        const taken = { line: done.line, remarks: done.remarks, question, append: false };
        tell({ type: "taken", taken });
      }),
    capture: () => {
      const typed = watch.store.get().live?.typed;
      if (typed) {
        tell({ type: "taken", taken: { line: typed, remarks: [], question, append: true } });
      } else if (!watch.on) watch.toggle();
    },
    // keys may come faster than the bench answers: turns add up while one is under way
    turn: (turns: number) => {
      waiting.current += turns;
      void atBench(async () => {
        while (step && waiting.current !== 0) {
          const together = waiting.current;
          waiting.current = 0;
          const body = { step: step.key, turns: together };
          await writing.write("/api/jobs/{job_id}/bench/turns", body);
        }
      });
    },
    wrong: () => {
      if (job.closed_at) return;
      if (!byHand) stop();
      tell({ type: "dialog", dialog: "wrong" });
    },
    stop,
  };
}

/** A question that a step takes beside those that it lists, fetched when it is wanted. */
function useFurther(jobId: number, step: string) {
  const [found, setFound] = useState<{ step: string; ask: Schemas["AskShape"] } | null>(null);
  const queries = useQueryClient();
  return {
    ask: found?.step === step ? found.ask : null,
    fetch: async (key: string) => {
      setFound({ step, ask: await queries.fetchQuery(questionQuery(jobId, step, key)) });
    },
  };
}

/** The rows of a step's table that may be asked for now, from top to bottom. */
function openRows(step: Job["step"]): string[] {
  if (!step?.table || step.blocked || step.cautions.length > 0) return [];
  const asks = [...(step.ask ? [step.ask] : []), ...step.others].map((a) => a.key);
  const rows = step.table.rows.map((row) => row.ask).filter((key) => asks.includes(key));
  return [...new Set(rows)];
}

export type OpenJob = ReturnType<typeof useJob>;

/** While something is being worked out, waits for word of it and reads the job anew. */
function useKnown(job: Job) {
  const queries = useQueryClient();
  const { job_id, thinking, version } = job;
  useEffect(() => {
    if (!thinking) return undefined;
    const source = new EventSource(`/api/jobs/${job_id}/known`);
    source.addEventListener("known", () => {
      source.close();
      void queries.invalidateQueries();
    });
    return () => source.close();
  }, [queries, job_id, thinking, version]);
}
