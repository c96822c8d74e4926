import type { Job, Schemas } from "../api/client";

type StepLine = Schemas["StepLine"];

/** The step that a stop of the scale leads to: its first unfinished one, else its last. */
export function stopStep(steps: StepLine[], stage: string): string | null {
  const mine = steps.filter((s) => s.stage === stage);
  return (mine.find((s) => !s.finished) ?? mine.at(-1))?.key ?? null;
}

/** The step beside the one shown; the ends stay where they are. */
export function neighbour(steps: StepLine[], here: number, way: number): string | null {
  return steps[Math.min(Math.max(here + way, 0), steps.length - 1)]?.key ?? null;
}

/** Where one is and what is left, in plain words. */
export function whereWords(job: Pick<Job, "steps" | "stages">, here: number): string {
  const stage = job.steps[here]?.stage;
  if (!stage) return "";
  const mine = job.steps.filter((s) => s.stage === stage);
  const place = mine.findIndex((s) => s.key === job.steps[here]?.key) + 1;
  const at = job.stages.findIndex((s) => s.stage === stage);
  const left = job.stages.slice(at + 1).filter((s) => s.finished < s.steps);
  const then = left[0] ? `; then ${left[0].stage}` : "";
  return `${stage}, ${place} of ${mine.length}${then}`;
}
