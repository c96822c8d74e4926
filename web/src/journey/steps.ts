import type { Schemas } from "../api/client";

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
