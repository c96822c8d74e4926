import { expect, test } from "vitest";

import { AT_REST, jobState } from "./jobState";

const written = { version: 4, echo: "57 V", verdict: "", words: "", next_step: "a", cost: "" };
const taken = { line: "57 0", remarks: [], question: "a q1", append: false };

test("a kept answer takes its reading out of the input, and leaves the next question's in", () => {
  const held = jobState(AT_REST, { type: "taken", taken });
  const kept = jobState(held, { type: "kept", written, question: "a q1", ask: "q1" });
  expect(kept.taken).toBeNull();
  expect(kept.kept?.echo).toBe("57 V");
  const other = jobState(held, { type: "kept", written, question: "a q0", ask: "q0" });
  expect(other.taken).toEqual(taken);
});

test("a picked question is asked until it is answered, whatever else is", () => {
  const picked = jobState(AT_REST, { type: "picked", step: "a", ask: "q2" });
  const other = jobState(picked, { type: "kept", written, question: "a q1", ask: "q1" });
  expect(other.picked.ask).toBe("q2");
  const mine = jobState(picked, { type: "kept", written, question: "a q2", ask: "q2" });
  expect(mine.picked.ask).toBe("");
});

test("what was lost is shown instead of what was kept, and going on forgets both", () => {
  const kept = jobState(AT_REST, { type: "kept", written, question: "a", ask: "a" });
  const lost = jobState(kept, { type: "lost", error: "moved on", typed: "58 0" });
  expect([lost.kept, lost.lost?.typed]).toEqual([null, "58 0"]);
  const gone = jobState(lost, { type: "gone to another step" });
  expect([gone.kept, gone.lost]).toEqual([null, null]);
});

test("the bench's trouble stays until it is tried again", () => {
  const failed = jobState(AT_REST, { type: "bench ends", trouble: "silent" });
  expect(failed.bench).toEqual({ busy: false, trouble: "silent", stopped: "" });
  expect(jobState(failed, { type: "bench begins" }).bench).toMatchObject({
    busy: true,
    trouble: null,
  });
});
