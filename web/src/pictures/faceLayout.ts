import type { Schemas } from "../api/client";

type Band = Schemas["PrintedScaleShape"];

const WIDTH = 340;
const HEIGHT = 112;
const LEFT = 18;
const RIGHT = WIDTH - 50;
const FIRST = 30;
/** A figure that would touch the one before it is left out; its tick stays. */
const APART = 40;
const MOST = 3;

/** A set's face: its scales under one pointer, and two knobs. */
export function faceLayout(bands: Band[]) {
  const shown = bands.slice(0, MOST);
  const pitch = (HEIGHT - 2 * FIRST + 16) / Math.max(shown.length, 2);
  const scales = shown.map((band, n) => {
    const y = FIRST + n * pitch;
    const marks = band.figures.map((mark) => ({
      x: LEFT + 14 + mark.place * (RIGHT - LEFT - 40),
      figure: mark.text,
    }));
    const words: { text: string; x: number; y: number; align: "middle" | "start" }[] = [];
    let free = 0;
    for (const mark of marks) {
      if (mark.x < free) continue;
      words.push({ text: mark.figure, x: mark.x, y: y - 8, align: "middle" });
      free = mark.x + APART;
    }
    words.push({ text: band.unit, x: RIGHT + 2, y: y + 4, align: "start" });
    return { y, left: LEFT, right: RIGHT - 4, marks, words };
  });
  const last = scales.at(-1)?.y ?? FIRST;
  return {
    width: WIDTH,
    height: HEIGHT,
    scales,
    pointer: { x: LEFT + 0.36 * (RIGHT - LEFT), top: FIRST - 18, bottom: last + 10 },
    knobs: [
      { x: 34, y: HEIGHT - 15 },
      { x: WIDTH - 34, y: HEIGHT - 15 },
    ],
  };
}
