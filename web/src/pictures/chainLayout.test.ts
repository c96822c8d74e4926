import { describe, expect, it } from "vitest";

import { type ChainPicture, layOutChain } from "./chainLayout";
import { groundOf } from "./wordsLayout";

type Block = ChainPicture["blocks"][number];

const GROUNDS = [
  [820, 280],
  [820, 420],
  [756, 300],
] as const;

const block = (key: string, kind: Block["kind"], rest: Partial<Block> = {}): Block => ({
  key,
  kind,
  label: "",
  tuned: "",
  gain: "",
  cores: [],
  controlled: false,
  stopped: false,
  expected: "",
  read: "",
  verdict: "",
  suspicion: 0,
  words: "",
  ...rest,
});

const can = (n: number, lit: boolean) =>
  block(`t${n}`, "coupled pair", {
    label: `T${n}`,
    tuned: "465 kHz",
    expected: "~502 uV",
    cores: [
      { key: `t${n}-p`, label: `T${n} primary core`, lit, done: false },
      { key: `t${n}-s`, label: `T${n} secondary core`, lit: false, done: true },
    ],
  });

type Way = ChainPicture["points"][number]["way"];

const part = (kind: Way[number]["kind"], name: string, loss: string, counted = true) => ({
  kind,
  name,
  loss,
  counted,
});

/** Leads of no part, of a few, and of more than a ground has room for. */
const WAYS: readonly Way[] = [
  [],
  [part("pad", "pad of 20", "20.0 dB"), part("matching", "balun of mine", "1 ± 1 dB", false)],
  Array.from({ length: 9 }, (_, n) => part("cable", `cable number ${n}`, "12.5 dB")),
];

/** Chains of every length: RF stages, conversions, IF stages; every place of generator and core. */
function* chains(way: Way): Generator<ChainPicture> {
  for (const rf of [0, 1, 2])
    for (const stages of [1, 2, 3])
      for (const double of [false, true])
        for (const at of ["aerial", "mixer"] as const) {
          const blocks: Block[] = [block("aerial", "aerial", { label: "aerial" })];
          blocks.push(
            block("tuned", "tuned circuit", { tuned: at === "aerial" ? "21.45 MHz" : "" }),
          );
          for (let n = 0; n < rf; n++) {
            blocks.push(block(`rf${n}`, "amplifier", { label: `RF V${n + 8}`, controlled: true }));
            blocks.push(block(`rft${n}`, "tuned circuit", { tuned: "21.45 MHz" }));
          }
          blocks.push(
            block("mixer", "mixer", { label: "mixer V1", gain: "+28 dB", controlled: true }),
          );
          if (double) {
            blocks.push(block("first-if", "filter", { label: "first IF", tuned: "1650 kHz" }));
            blocks.push(block("second", "mixer", { label: "second mixer" }));
          }
          for (let n = 0; n < stages; n++) {
            blocks.push(can(n + 1, n === 0));
            const name = { label: `IF V${n + 2}`, gain: "+41 dB", controlled: n === 0 };
            blocks.push(block(`if${n}`, "amplifier", { ...name, expected: "~400 uV" }));
          }
          blocks.push(can(stages + 1, false));
          blocks.push(block("detector", "detector", { label: "detector V3" }));
          blocks.push(block("audio", "amplifier", { label: "audio V3" }));
          blocks.push(block("output", "amplifier", { label: "output V4" }));
          blocks.push(block("loudspeaker", "loudspeaker", { label: "loudspeaker" }));
          const tuned = at === "mixer" ? "" : "21.915 MHz";
          const oscillators = [
            block("oscillator", "oscillator", {
              label: "oscillator",
              tuned,
              stopped: at === "mixer",
            }),
          ];
          if (double)
            oscillators.push(
              block("oscillator-2", "oscillator", { label: "second oscillator", tuned: "2.1 MHz" }),
            );
          yield {
            band: "short wave",
            blocks,
            oscillators,
            feeds: ["mixer", "second"],
            control: "detector",
            points: [
              {
                block: at,
                behind: at === "aerial",
                letter: "G",
                through: at === "aerial" ? "200 pF" : "10 nF",
                words: "21.45 MHz, 25.0 uV",
                way,
              },
              {
                block: at === "aerial" ? "loudspeaker" : "detector",
                behind: at === "mixer",
                letter: "V",
                through: "",
                words: at === "aerial" ? "audio" : "AVC",
                way: [],
              },
            ],
          };
        }
}

/** Pairs of texts that lie on each other. */
function overlaps(words: Parameters<typeof groundOf>[0][]) {
  const grounds = words.map((w) => ({ w, ...groundOf(w) }));
  return grounds.flatMap((a, n) =>
    grounds
      .slice(n + 1)
      .filter((b) => a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom)
      .map((b) => `${a.w.text} | ${b.w.text}`),
  );
}

describe("a chain", () => {
  for (const [width, height] of GROUNDS) {
    it(`has every block once and no words on others, at ${width} by ${height}`, () => {
      for (const picture of WAYS.flatMap((way) => [...chains(way)])) {
        const drawn = layOutChain(picture, width, height);
        const keys = drawn.blocks.map((b) => b.block.key).sort();
        const wanted = [...picture.blocks, ...picture.oscillators]
          .filter((b) => b.key !== "oscillator-2" || picture.blocks.some((x) => x.key === "second"))
          .map((b) => b.key)
          .sort();
        expect(keys).toEqual(wanted);
        expect(new Set(drawn.words.map((w) => w.key)).size).toBe(drawn.words.length);
        expect(overlaps(drawn.words)).toEqual([]);
        for (const w of drawn.words) {
          const { left, right, top, bottom } = groundOf(w);
          expect(top, w.text).toBeGreaterThanOrEqual(0);
          expect(bottom, w.text).toBeLessThanOrEqual(Math.max(height, drawn.least));
          expect(left, w.text).toBeGreaterThanOrEqual(0);
          expect(right, w.text).toBeLessThanOrEqual(width);
        }
        expect(drawn.taps.length).toBe(picture.points.length);
        const generator = drawn.taps.find((t) => t.letter === "G");
        const way = picture.points[0]?.way ?? [];
        // from the set on: the generator is last, and what is not shown is counted
        const away = drawn.parts.map((p) => Math.abs(p.x - (drawn.through[0]?.x ?? 0)));
        expect(away).toEqual([...away].sort((a, b) => a - b));
        const end = Math.abs((generator?.x ?? 0) - (drawn.through[0]?.x ?? 0));
        if (way.length > 0) expect(end).toBeGreaterThan(Math.max(...away));
        const more = drawn.words.find((w) => w.text.startsWith("+ "))?.text ?? "+ 0";
        expect(drawn.parts.length + Number(more.slice(2))).toBe(way.length);
      }
    });
  }
});
