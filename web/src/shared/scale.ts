import type { StageState } from "../api/client";

/** Where a step stands on the journey scale, 0 to 1: ten equal stops, steps as ticks within. */
export function pointerPlace(stages: StageState[], stage: string, index: number): number {
  const stop = stages.findIndex((s) => s.stage === stage);
  if (stop < 0) return 0;
  const steps = stages[stop]?.steps ?? 0;
  const within = steps > 0 ? (index + 0.5) / steps : 0.5;
  return (stop + within) / stages.length;
}

/** Share of a stop that is lit. */
export const litShare = (stage: StageState) => (stage.steps ? stage.finished / stage.steps : 0);

/** A stop's state in a word, for those who cannot see the light. */
export function stopWord(stage: StageState): string {
  if (stage.trouble) return stage.trouble;
  if (stage.steps === 0) return "no steps";
  if (stage.finished === stage.steps) return "done";
  return `${stage.finished} of ${stage.steps}`;
}

/** Which stop a key leads to from the one in focus; null when the key is not ours. */
export function stopForKey(key: string, at: number, count: number): number | null {
  if (key === "ArrowRight") return Math.min(at + 1, count - 1);
  if (key === "ArrowLeft") return Math.max(at - 1, 0);
  if (key === "Home") return 0;
  if (key === "End") return count - 1;
  if (/^[0-9]$/.test(key)) return key === "0" ? 9 : Number(key) - 1;
  return null;
}
