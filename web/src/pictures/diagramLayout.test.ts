import { describe, expect, it } from "vitest";

import { type DiagramPicture, layOutDiagram } from "./diagramLayout";
import { groundOf } from "./wordsLayout";

type Block = DiagramPicture["blocks"][number];
const GROUNDS = [
  [820, 330],
  [756, 300],
  [460, 400],
  [820, 900],
] as const;
const NAMES = [
  "mixer V1",
  "push-buttons, oscillator",
  "FM IF board's socket",
  "ratio detector D1 D2",
];

const block = (n: number): Block => ({
  key: `b${n}`,
  label: NAMES[n % NAMES.length] ?? "",
  kind: "amplifier",
  board: "",
  suspicion: n % 5 === 0 ? 0.3 : 0,
  figure: n % 5 === 0 ? "30 %" : "",
  standing: n % 5 === 0 ? "suspected" : "cleared",
  lit: n % 3 === 0,
  used: true,
  evidence: [],
  leans_on: [],
  tests: [],
  inside: [],
  circuits: [],
});

/** Sets of every size: a chain with branches that part and join, and oscillators beside it. */
function* sets(): Generator<DiagramPicture> {
  for (const count of [2, 7, 20, 40, 60])
    for (const fork of [0, 3, 8]) {
      const blocks = Array.from({ length: count }, (_, n) => block(n));
      const links = blocks.slice(1).map((_, n) => ({
        source: fork && n >= fork && n < 2 * fork ? "b0" : `b${n}`,
        to: `b${n + 1}`,
        kind: n % 7 === 6 ? "oscillator" : "signal",
        lit: n % 4 === 0,
      }));
      yield {
        position: "medium wave",
        derived: false,
        blocks,
        links,
        points: [{ at: `b${count - 1}`, letter: "V", words: "read there" }],
      };
    }
}

/** Whether an upright or level line enters a rectangle. */
function enters(
  [a, b]: [readonly [number, number], readonly [number, number]],
  box: { left: number; right: number; top: number; bottom: number },
) {
  const [left, right] = [Math.min(a[0], b[0]), Math.max(a[0], b[0])];
  const [top, bottom] = [Math.min(a[1], b[1]), Math.max(a[1], b[1])];
  return left < box.right && right > box.left && top < box.bottom && bottom > box.top;
}

describe("a diagram", () => {
  for (const [width, height] of GROUNDS) {
    it(`has every block once, no words on others and no line through a name, ${width} by ${height}`, () => {
      for (const picture of sets()) {
        const drawn = layOutDiagram(picture, width, height);
        const keys = drawn.cells.map((c) => c.block.key).sort();
        expect(keys).toEqual(picture.blocks.map((b) => b.key).sort());
        const places = new Set(drawn.cells.map((c) => `${c.row} ${c.column}`));
        expect(places.size).toBe(drawn.cells.length);
        const grounds = drawn.words.map((w) => ({ w, ...groundOf(w) }));
        const faults: string[] = [];
        grounds.forEach((a, n) => {
          if (a.left < 0 || a.right > width || a.bottom > drawn.least)
            faults.push(`${a.w.text} out`);
          for (const b of grounds.slice(n + 1)) {
            if (a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom)
              faults.push(`${a.w.text} on ${b.w.text}`);
          }
        });
        for (const line of drawn.lines) {
          line.points.slice(1).forEach((to, n) => {
            const from = line.points[n];
            if (!from) return;
            for (const c of drawn.cells) {
              const inside = {
                left: c.x + 1,
                right: c.x + drawn.cell.width - 1,
                top: c.y + 1,
                bottom: c.y + drawn.cell.height - 1,
              };
              if (enters([from, to], inside)) faults.push(`${line.key} through ${c.block.key}`);
            }
          });
        }
        expect(faults).toEqual([]);
        expect(drawn.lines.length).toBe(picture.links.length);
        expect(drawn.marks.length).toBe(1);
      }
    });
  }
});
