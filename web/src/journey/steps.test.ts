import { describe, expect, it } from "vitest";

import { neighbour, stopStep, whereWords } from "./steps";

const step = (key: string, stage: string, finished: boolean) => ({
  key,
  stage,
  finished,
  title: key,
  status: finished ? "done" : "open",
});
const steps = [step("a", "intake", true), step("b", "IF", true), step("c", "IF", false)];

describe("steps", () => {
  it("leads a stop to its first unfinished step, else to its last, else nowhere", () => {
    expect(stopStep(steps, "IF")).toBe("c");
    expect(stopStep(steps, "intake")).toBe("a");
    expect(stopStep(steps, "parts")).toBeNull();
  });
  it("stays at the ends", () => {
    expect(neighbour(steps, 0, -1)).toBe("a");
    expect(neighbour(steps, 1, 1)).toBe("c");
    expect(neighbour(steps, 2, 1)).toBe("c");
  });
  it("says where one is and what is left", () => {
    const stage = (name: string, finished: number, all: number) => ({
      stage: name,
      finished,
      steps: all,
      trouble: "",
    });
    const stages = [stage("intake", 1, 1), stage("IF", 1, 2), stage("dial", 0, 3)];
    expect(whereWords({ steps, stages }, 2)).toBe("IF, 2 of 2; then dial");
    expect(whereWords({ steps, stages }, 0)).toBe("intake, 1 of 1; then IF");
    expect(whereWords({ steps, stages: stages.slice(0, 2) }, 2)).toBe("IF, 2 of 2");
    expect(whereWords({ steps, stages }, 9)).toBe("");
  });
});
