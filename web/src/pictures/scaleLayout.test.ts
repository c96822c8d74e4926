import { describe, expect, it } from "vitest";

import { type Scale, spreadOut } from "./scaleLayout";
import { LETTER } from "./wordsLayout";

const reading = (off: number) => ({
  off,
  text: `${off} kHz`,
  words: "1/2 turn clockwise",
  verdict: "low",
});

describe("a scale drawn", () => {
  for (const count of [2, 3, 5, 8]) {
    it(`has ${count} marks in order, each in a lens of its own`, () => {
      const scale: Scale = {
        band: "Broadcast",
        low: "540",
        high: "1600",
        corrected: [],
        beside: [],
        searched: { low: 0.1, high: 0.2 },
        marks: Array.from({ length: count }, (_, n) => ({
          place: n / (count - 1),
          label: `${n}`,
          tolerance: "3",
          lit: n === 1,
          foretold: n === 1 ? { low: -0.5, high: 4.2 } : null,
          readings: [3.4, -1.2, 0.4].map(reading),
        })),
      };
      const drawn = spreadOut(scale, 820, 300);
      drawn.lenses.forEach((lens, n) => {
        const before = drawn.lenses[n - 1];
        if (before) {
          expect(lens.at).toBeGreaterThan(before.at);
          expect(lens.left).toBeGreaterThan(before.right);
        }
        if (lens.foretold) {
          // the lens reaches to where the next reading is foretold, on the side of its error
          expect(lens.foretold.left).toBeGreaterThan(lens.left);
          expect(lens.foretold.right).toBeGreaterThan(lens.middle);
        }
        // what stands beside a mark stays in its lens
        for (const { x, label, last } of lens.readings) {
          const long = 14 + label.length * 14 * LETTER;
          const end = x < lens.middle ? x + long : x - long;
          if (!last && lens.roomy) expect(end >= lens.left && end <= lens.right).toBe(true);
        }
        // what is inside its tolerance stands on the stripe, what is not beside it
        for (const { x, y, reading: r } of lens.readings) {
          expect(x >= lens.stripe.left && x <= lens.stripe.right).toBe(Math.abs(r.off) <= 1);
          // too high a frequency comes in: stations stand too low, to the left
          expect(Math.sign(lens.middle - x)).toBe(Math.sign(r.off));
          expect(x).toBeGreaterThan(lens.left);
          expect(x).toBeLessThan(lens.right);
          expect(y).toBeGreaterThan(drawn.lensTop);
          expect(y).toBeLessThan(drawn.bottom);
        }
        const heights = lens.readings.map((r) => r.y);
        expect(heights).toEqual([...heights].sort((a, b) => a - b));
        expect(lens.readings.map((r) => r.last)).toEqual([false, false, true]);
      });
      expect(drawn.lenses[count - 1]?.at).toBeLessThanOrEqual(820);
    });
  }
});
