import { describe, expect, it } from "vitest";

import type { StageState } from "../api/client";
import { litShare, pointerPlace, stopForKey, stopWord } from "./scale";

const stages: StageState[] = [
  { stage: "intake", steps: 2, finished: 2, trouble: "" },
  { stage: "parts", steps: 0, finished: 0, trouble: "" },
  { stage: "IF", steps: 4, finished: 1, trouble: "" },
  { stage: "dial", steps: 1, finished: 0, trouble: "outside" },
];

describe("journey scale", () => {
  it("moves the pointer on with every step and never back", () => {
    const places = [
      pointerPlace(stages, "intake", 0),
      pointerPlace(stages, "intake", 1),
      pointerPlace(stages, "IF", 0),
      pointerPlace(stages, "IF", 3),
      pointerPlace(stages, "dial", 0),
    ];
    expect([...places].sort((a, b) => a - b)).toEqual(places);
    expect(new Set(places).size).toBe(places.length);
    expect(Math.max(...places)).toBeLessThan(1);
  });
  it("says each stop's state in a word", () => {
    expect(stages.map(stopWord)).toEqual(["done", "no steps", "1 of 4", "outside"]);
    expect(stages.map(litShare)).toEqual([1, 0, 0.25, 0]);
  });
  it("reads digits as stops, 0 as the tenth, and arrows as neighbours", () => {
    expect(stopForKey("1", 5, 10)).toBe(0);
    expect(stopForKey("0", 5, 10)).toBe(9);
    expect(stopForKey("ArrowRight", 9, 10)).toBe(9);
    expect(stopForKey("ArrowLeft", 3, 10)).toBe(2);
    expect(stopForKey("x", 3, 10)).toBeNull();
  });
});
