import type { Schemas } from "../api/client";
import { inLines, LETTER, SMALL, type Words } from "./wordsLayout";

export type ChainPicture = Schemas["ChainPictureShape"];
type Block = ChainPicture["blocks"][number];
type Point = ChainPicture["points"][number];

type Wire = { points: [number, number][]; tone: "ink" | "dim" | "glow"; arrow?: boolean };
export type PlacedBlock = { block: Block; x: number; y: number };
type Tap = { key: string; x: number; y: number; letter: string };
export type PlacedPart = { key: string; x: number; y: number; part: Point["way"][number] };

type ChainLayout = {
  wires: Wire[];
  blocks: PlacedBlock[];
  taps: Tap[];
  through: { key: string; x: number; y: number }[];
  /** The parts of a lead, from its end on the set to the generator. */
  parts: PlacedPart[];
  words: Words[];
  /** The height that it needs at least. */
  least: number;
};

/** Half of what a block takes along the wire, and across it. */
const HALF = 22;
const LEAST_PITCH = 64;
const SIDE = 46;
const LINE = 16;
/** What a row takes above its wire, with and without something joined to it. */
const TAPPED = 124;
const PLAIN = 70;
/** What a lead with parts takes above that, and each part along it. */
const PARTED = 46;
const RAISED = 26;
const PART = 78;
/** What is left of half a row beside a lead's parts, and what "and so many more" takes. */
const LEAD_END = 190;
const MORE = 44;
/** Letters of a part's name that have room. */
const NAME = 10;
/** What it takes below, with and without an oscillator; and the control line under all. */
const FED = 124;
const FED_ABOVE = 166;
const CORED = 80;
const CONTROL = 14;

/** Where everything of a chain goes on a ground of that size, in as many rows as it needs. */
export function layOutChain(picture: ChainPicture, width: number, height: number): ChainLayout {
  const wires: Wire[] = [];
  const blocks: PlacedBlock[] = [];
  const taps: Tap[] = [];
  const through: ChainLayout["through"] = [];
  const parts: PlacedPart[] = [];
  const words: Words[] = [];
  const say = (key: string, text: string, x: number, y: number, more: Partial<Words> = {}) => {
    if (text) words.push({ key, text, x, y, size: SMALL, align: "middle", tone: "ink", ...more });
  };

  const most = Math.max(1, Math.floor((width - 2 * SIDE) / LEAST_PITCH) + 1);
  const rows = Math.ceil(picture.blocks.length / most);
  const each = Math.ceil(picture.blocks.length / rows);
  const pitch = (width - 2 * SIDE) / Math.max(each - 1, 1);
  const rowOf = (n: number) => Math.floor(n / each);
  const inRow = (row: number, keys: string[]) =>
    picture.blocks.some((b, n) => rowOf(n) === row && keys.includes(b.key));
  const tapped = picture.points.map((p) => p.block);
  const parted = picture.points.filter((p) => p.way.length > 0).map((p) => p.block);
  const room = Array.from({ length: rows }, (_, row) => ({
    above: inRow(row, tapped) ? TAPPED + (inRow(row, parted) ? PARTED : 0) : PLAIN,
    below: inRow(row, picture.feeds.slice(0, picture.oscillators.length))
      ? rows > 1
        ? FED_ABOVE
        : FED
      : CORED,
  }));
  const least = room.reduce((sum, r) => sum + r.above + r.below, CONTROL);
  const spare = Math.max(0, height - least) / (rows + 1);
  const place = (n: number) => {
    const row = rowOf(n);
    const over = room.slice(0, row).reduce((sum, r) => sum + r.above + r.below + spare, spare);
    return { x: SIDE + pitch * (n % each), y: over + (room[row]?.above ?? 0) };
  };

  picture.blocks.forEach((block, n) => {
    const { x, y } = place(n);
    blocks.push({ block, x, y });
    const next = picture.blocks[n + 1];
    if (next && rowOf(n + 1) === rowOf(n)) {
      wires.push({
        tone: "ink",
        points: [
          [x + HALF, y],
          [x + pitch - HALF, y],
        ],
      });
    } else if (next) {
      const to = place(n + 1);
      const turn = to.y - (room[rowOf(n + 1)]?.above ?? 0) + 4;
      wires.push({
        tone: "ink",
        points: [
          [x + HALF, y],
          [x + SIDE - 6, y],
          [x + SIDE - 6, turn],
          [to.x - SIDE + 6, turn],
          [to.x - SIDE + 6, to.y],
          [to.x - HALF, to.y],
        ],
      });
    }
    labels(block, x, y);
  });

  /** Name and device above, the gain over them; what it is tuned to and its cores below. */
  function labels(block: Block, x: number, y: number) {
    const lines = split(block.label);
    const above = block.gain ? [block.gain, ...lines] : lines;
    above.forEach((text, n) => {
      const gain = block.gain !== "" && n === 0;
      say(
        `${block.key} ${gain ? "gain" : `label ${n}`}`,
        text,
        x,
        y - 30 - LINE * (above.length - 1 - n),
        {
          tone: gain ? "dim" : "ink",
        },
      );
    });
    say(`${block.key} tuned`, block.tuned, x, y + 40, { tone: "dim" });
    say(`${block.key} read`, block.read, x, y + 40 + LINE, { mono: true });
    say(`${block.key} suspicion`, block.words, x, y + 40 + LINE, { tone: "suspect" });
    const lit = block.cores.find((core) => core.lit);
    // the core that is turned has the word there
    if (!lit && !block.read) {
      const more: Partial<Words> = { tone: "dim", mono: true };
      say(`${block.key} expected`, block.expected, x, y + 40 + LINE, more);
    }
    if (lit) {
      inLines(lit.label, 12).forEach((text, n) =>
        say(`${block.key} core ${n}`, text, x, y + 40 + LINE * (n + 1), { tone: "glow" }),
      );
    }
  }

  picture.oscillators.forEach((block, n) => {
    const fed = blocks.find((b) => b.block.key === picture.feeds[n]);
    if (!fed) return;
    const y = fed.y + 90;
    blocks.push({ block, x: fed.x, y });
    wires.push({
      tone: block.stopped ? "dim" : "ink",
      arrow: true,
      points: [
        [fed.x, y - HALF],
        [fed.x, fed.y + HALF],
      ],
    });
    const lit = block.cores.find((core) => core.lit);
    const said = block.stopped ? "stopped" : block.tuned;
    const longest = Math.max(block.label.length, said.length, lit?.label.length ?? 0);
    // where the right edge is near, its words stand below it
    const under = fed.x + HALF + 6 + longest * SMALL * LETTER > width;
    const align = under ? ("end" as const) : ("start" as const);
    const beside = under ? Math.min(fed.x + longest * 4, width - 4) : fed.x + HALF + 6;
    const line = (down: number) => (under ? y + HALF + LINE : y - 2) + LINE * down;
    say(`${block.key} label`, block.label, beside, line(0), { align });
    say(`${block.key} tuned`, said, beside, line(1), {
      align,
      tone: block.stopped ? "glow" : "dim",
    });
    if (lit) say(`${block.key} core`, lit.label, beside, line(2), { align, tone: "glow" });
  });

  const control = blocks.find((b) => b.block.key === picture.control);
  const reached = blocks.filter((b) => b.block.controlled);
  if (control && reached.length > 0) {
    const low =
      Math.max(...blocks.map((b) => b.y + HALF), place(picture.blocks.length - 1).y + CORED) + 8;
    for (const b of reached) {
      wires.push({
        tone: "dim",
        arrow: true,
        points: [
          [control.x, control.y + HALF],
          [control.x, low],
          [b.x - HALF - 7, low],
          [b.x - HALF - 7, b.y + 30],
          [b.x - 16, b.y + 15],
        ],
      });
    }
    say("control", "AVC line", control.x - 8, low - 6, { align: "end", tone: "dim" });
  }

  picture.points.forEach((point) => tap(point));

  function tap(point: Point) {
    const at = blocks.find((b) => b.block.key === point.block);
    if (!at) return;
    const foot = at.x + (point.behind ? 1 : -1) * Math.min(pitch / 2, SIDE - 8);
    const y = at.y - 92 - (point.way.length > 0 ? RAISED : 0);
    // a lead runs to where there is room
    const side = foot < width / 2 ? 1 : -1;
    const x = point.way.length > 0 ? lead(point, foot, y, side) : foot;
    wires.push({
      tone: "glow",
      points:
        x === foot
          ? [
              [foot, at.y],
              [foot, y + 14],
            ]
          : [
              [foot, at.y],
              [foot, y],
              [x - side * 14, y],
            ],
    });
    taps.push({ key: `${point.letter} ${point.block}`, x, y, letter: point.letter });
    if (point.through) through.push({ key: `${point.letter} through`, x: foot, y: y + 26 });
    if (x !== foot) {
      const align = side > 0 ? ("start" as const) : ("end" as const);
      const beside = (from: number, by: number) => from + side * by;
      say(`${point.letter} words`, point.words, beside(x, 18), y + 5, { align, tone: "glow" });
      say(`${point.letter} through words`, point.through, beside(foot, 12), y + 31, {
        align,
        tone: "glow",
      });
      return;
    }
    const half = (point.words.length * SMALL * LETTER) / 2;
    const near = x < half ? "start" : x + half > width ? "end" : "middle";
    const edge =
      near === "start" ? Math.max(x - 14, 2) : near === "end" ? Math.min(x + 14, width - 2) : x;
    say(`${point.letter} words`, point.words, edge, y - 20, { align: near, tone: "glow" });
    say(`${point.letter} through words`, point.through, x + 18, y + 5, {
      align: "start",
      tone: "glow",
    });
  }

  /** The parts of a lead beside each other, from the set on; gives where the generator stands. */
  function lead(point: Point, foot: number, y: number, side: number): number {
    const most = Math.max(1, Math.floor((width / 2 - LEAD_END) / PART));
    const shown = point.way.slice(0, point.way.length > most ? most - 1 : most).reverse();
    const hidden = point.way.length - shown.length;
    const start = foot + side * (hidden > 0 ? MORE : 0);
    if (hidden > 0)
      say(`${point.letter} more`, `+ ${hidden}`, foot + (side * MORE) / 2, y - 15, { tone: "dim" });
    shown.forEach((part, n) => {
      const key = `${point.letter} part ${n}`;
      const x = start + side * (n + 0.5) * PART;
      parts.push({ key, x, y, part });
      const tone = part.counted ? "ink" : "dim";
      say(`${key} name`, cut(part.name), x, y - 30, { tone });
      say(`${key} loss`, part.loss, x, y - 15, { tone, mono: true });
    });
    return start + side * (shown.length * PART + 14);
  }

  return { wires, blocks, taps, through, parts, words, least };
}

/** A name as far as it has room. */
const cut = (name: string) => (name.length > NAME ? `${name.slice(0, NAME - 1)}…` : name);

/** A label in two lines where it has a device's name behind it. */
const split = (label: string) => {
  const at = label.lastIndexOf(" ");
  return label === "" ? [] : at < 0 ? [label] : [label.slice(0, at), label.slice(at + 1)];
};
