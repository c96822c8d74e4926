import { describe, expect, it } from "vitest";

import { lane } from "./lane";

describe("lane", () => {
  it("puts a two-sided window in the middle half", () => {
    const shown = lane(90, 110, 100);
    expect(shown.from).toBeCloseTo(0.25);
    expect(shown.to).toBeCloseTo(0.75);
    expect(shown.place(100)).toEqual({ at: 0.5, off: "" });
  });
  it("sticks what is off the scale to the edge", () => {
    expect(lane(90, 110, 0).place(50)).toEqual({ at: 0, off: "left" });
    expect(lane(90, 110, 0).place(500)).toEqual({ at: 1, off: "right" });
  });
  it("lets an open side reach the edge", () => {
    expect(lane(null, 20, 5).from).toBe(0);
    expect(lane(null, 20, 5).to).toBeLessThan(1);
    expect(lane(10, null, 50).to).toBe(1);
    expect(lane(10, null, 50).place(50).off).toBe("right");
  });
  it("has no window of no width", () => {
    for (const value of [0, 5, -3]) {
      const shown = lane(value, value, value);
      expect(Number.isFinite(shown.place(value).at)).toBe(true);
    }
  });
});
