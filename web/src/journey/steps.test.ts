import { describe, expect, it } from "vitest";

import { neighbour, stopStep } from "./steps";

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
});
