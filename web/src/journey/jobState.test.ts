import { expect, test } from "vitest";

import { AT_REST, jobState } from "./jobState";

const written = { version: 4, echo: "57 V", verdict: "", words: "", next_step: "a", cost: "" };
const taken = { line: "57 0", remarks: [], question: "a q1", append: false };

test("a kept answer takes its reading out of the input, and leaves the next question's in", () => {
  const held = jobState(AT_REST, { type: "taken", taken });
  const kept = jobState(held, { type: "kept", written, taken, ask: "q1" });
  expect(kept.taken).toBeNull();
  expect(kept.kept?.echo).toBe("57 V");
  const other = jobState(held, { type: "kept", written, taken: null, ask: "q0" });
  expect(other.taken).toEqual(taken);
  // the same question asked again, and read before the first answer was heard of
  const again = jobState(held, { type: "taken", taken: { ...taken, line: "58 0" } });
  const late = jobState(again, { type: "kept", written, taken, ask: "q1" });
  expect(late.taken?.line).toBe("58 0");
});

test("a picked question is asked until it is answered, whatever else is", () => {
  const picked = jobState(AT_REST, { type: "picked", step: "a", ask: "q2", series: false });
  const other = jobState(picked, { type: "kept", written, taken: null, ask: "q1" });
  expect(other.picked.ask).toBe("q2");
  const mine = jobState(picked, { type: "kept", written, taken: null, ask: "q2" });
  expect(mine.picked.ask).toBe("");
});

test("what was lost is shown instead of what was kept, and going on forgets both", () => {
  const kept = jobState(AT_REST, { type: "kept", written, taken: null, ask: "a" });
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

test("of a series the next is asked for when one is answered", () => {
  const picked = jobState(AT_REST, { type: "picked", step: "a", ask: "t1", series: true });
  const next = jobState(picked, { type: "kept", written, taken: null, ask: "t1" });
  expect(next.picked).toEqual({ step: "a", ask: "t1", series: true });
});
