import { describe, expect, it } from "vitest";

import { fraction, lieOut } from "./peakLayout";

describe("the way over a peak", () => {
  // a bell of a known width, gone over by eighths and half way back
  const over = [-4, -3, -2, -1, 0, 1, 2, 3, 2, 1].map((n) => ({
    at: n / 8,
    value: 2.5 / (1 + (n / 4) ** 2),
  }));

  it("stands in the order of the turns, highest at the best, whatever was turned first", () => {
    const drawn = lieOut(over, [], 800, 300);
    const xs = drawn.places.map((p) => p.x);
    expect(xs).toEqual([...xs].sort((a, b) => a - b));
    expect(new Set(xs.map((x) => x.toFixed(1))).size).toBe(8);
    expect(Math.min(...drawn.places.map((p) => p.y))).toBeCloseTo(drawn.best.y, 6);
    expect(drawn.best.x).toBeCloseTo(400, 6);
    // now is an eighth clockwise of it: to its right, and lower
    expect(drawn.now.x).toBeGreaterThan(drawn.best.x);
    expect(drawn.now.y).toBeGreaterThan(drawn.best.y);
    for (const { x, y } of [...drawn.places, drawn.now]) {
      expect(x).toBeGreaterThanOrEqual(drawn.left);
      expect(x).toBeLessThanOrEqual(drawn.right);
      expect(y).toBeGreaterThanOrEqual(0);
      expect(y).toBeLessThanOrEqual(drawn.base);
    }
  });

  it("moves with the live value", () => {
    const still = lieOut(over, [], 800, 300);
    const live = lieOut(over, [{ at: 0, value: 2.4 }], 800, 300);
    expect(live.now.x).toBe(still.now.x);
    expect(live.now.y).not.toBe(still.now.y);
  });

  it("ticks in fractions of a turn", () => {
    expect([0, 1 / 16, 0.125, -0.25, 0.75, 1, -1.5].map(fraction)).toEqual([
      "0",
      "1/16",
      "1/8",
      "-1/4",
      "3/4",
      "1",
      "-1 1/2",
    ]);
    for (const reach of [0.1, 0.5, 1, 3, 8]) {
      const drawn = lieOut(
        [
          { at: reach, value: 1 },
          { at: 0, value: 2 },
        ],
        [],
        800,
        300,
      );
      expect(drawn.ticks.length).toBeGreaterThanOrEqual(3);
      expect(drawn.ticks.length).toBeLessThanOrEqual(9);
    }
  });
});
