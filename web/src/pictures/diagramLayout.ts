import type { Schemas } from "../api/client";
import { inLines, SMALL, type Words } from "./wordsLayout";

export type DiagramPicture = Schemas["DiagramPictureShape"];
export type Block = DiagramPicture["blocks"][number];
type Link = DiagramPicture["links"][number];

export type PlacedCell = { block: Block; x: number; y: number; row: number; column: number };
type Line = { key: string; link: Link; points: [number, number][] };
type Mark = { key: string; letter: string; x: number; y: number };

export type DiagramLayout = {
  cells: PlacedCell[];
  lines: Line[];
  marks: Mark[];
  words: Words[];
  cell: { width: number; height: number };
  /** The height that it needs at least. */
  least: number;
};

const LEAST_WIDTH = 108;
const MOST_WIDTH = 180;
const GUTTER_X = 18;
const GUTTER_Y = 14;
const LEAST_HEIGHT = 36;
const MOST_HEIGHT = 56;
const LINE = 15;
/** How far apart lines run in one gutter, and how many find room there. */
const LANE = 3;
const LANES = 4;
const LETTERS_WIDE = 7.3;

/** Blocks in rows along the signal, and every line in the gutters between them: none runs through
 * a name. */
export function layOutDiagram(
  picture: DiagramPicture,
  width: number,
  height: number,
): DiagramLayout {
  const chains = chainsOf(picture);
  const fit = (least: number) => Math.max(2, Math.floor((width - GUTTER_X) / (least + GUTTER_X)));
  // as few columns as the height allows: a small set is drawn large
  const most = fit(LEAST_WIDTH);
  let columns = Math.min(fit(MOST_WIDTH), most);
  const tall = (n: number) => GUTTER_Y + placed(chains, n).rows * (LEAST_HEIGHT + GUTTER_Y);
  while (columns < most && tall(columns) > height) columns += 1;
  const { places, rows } = placed(chains, columns);
  const across = (width - GUTTER_X) / columns;
  const room = (height - GUTTER_Y) / rows - GUTTER_Y;
  const cellHeight = Math.floor(Math.min(Math.max(room, LEAST_HEIGHT), MOST_HEIGHT));
  const cell = { width: across - GUTTER_X, height: cellHeight };
  const pitch = cellHeight + GUTTER_Y;
  const cells = places.map(({ block, row, column }): PlacedCell => ({
    block,
    row,
    column,
    x: GUTTER_X + column * across,
    y: GUTTER_Y + row * pitch,
  }));
  return {
    cells,
    lines: linesOf(picture, cells, cell),
    marks: picture.points.flatMap((point, n) => {
      const at = cells.find((c) => c.block.key === point.at);
      if (!at) return [];
      // in the gutter, on the wire that leads in
      const x = at.x - GUTTER_X / 2;
      return [{ key: `${n}`, letter: point.letter, x, y: at.y + cell.height / 2 }];
    }),
    words: cells.flatMap((c) => wordsOf(c, cell)),
    cell,
    least: GUTTER_Y + rows * pitch,
  };
}

type Seat = { block: Block; row: number; column: number };

/** Which row and column each block has, chain after chain. */
function placed(chains: Block[][], columns: number): { places: Seat[]; rows: number } {
  const places: Seat[] = [];
  // how many seats of each row are taken
  const taken: number[] = [];
  for (const chain of chains) {
    // a short chain stays together, in the last row that has room; a long one begins a row
    const room = taken.findLastIndex((used) => columns - used >= chain.length);
    let row = room < 0 ? taken.length : room;
    for (const block of chain) {
      if ((taken[row] ?? 0) === columns) row = taken.length;
      const column = taken[row] ?? 0;
      places.push({ block, row, column });
      taken[row] = column + 1;
    }
  }
  return { places, rows: taken.length };
}

/** Runs of blocks that follow each other with nothing joining or leaving between; what carries no
 * signal comes last. */
function chainsOf(picture: DiagramPicture): Block[][] {
  const signal = picture.links.filter((link) => link.kind === "signal");
  const after = (key: string) => signal.filter((link) => link.source === key);
  const before = (key: string) => signal.filter((link) => link.to === key);
  const follows = (key: string) => {
    const next = after(key);
    const to = next[0]?.to;
    return next.length === 1 && to !== undefined && before(to).length === 1 ? to : undefined;
  };
  const byKey = new Map(picture.blocks.map((block) => [block.key, block]));
  const placed = new Set<string>();
  const chains: Block[][] = [];
  const carries = (key: string) => after(key).length + before(key).length > 0;
  const take = (start: Block) => {
    const chain: Block[] = [];
    let key: string | undefined = start.key;
    while (key !== undefined && !placed.has(key)) {
      const block = byKey.get(key);
      if (!block) break;
      placed.add(key);
      chain.push(block);
      key = follows(key);
    }
    chains.push(chain);
  };
  for (const block of picture.blocks) {
    const led = before(block.key);
    const only = led.length === 1 ? led[0]?.source : undefined;
    const begins = only === undefined || follows(only) !== block.key;
    if (carries(block.key) && begins && !placed.has(block.key)) take(block);
  }
  const rest = picture.blocks.filter((block) => !placed.has(block.key));
  const all = [...chains, rest.filter((b) => !settled(b)), rest.filter(settled)];
  // what is cleared altogether sinks below what is not
  return [
    ...all.filter((chain) => !chain.every(settled)),
    ...all.filter((chain) => chain.length > 0 && chain.every(settled)),
  ];
}

const settled = (block: Block) => block.standing === "cleared";

/** Straight to the next cell, else through the gutters: out to the right, along above the target's
 * row, down before it. Each line has a lane of its own as long as there are lanes. */
function linesOf(
  picture: DiagramPicture,
  cells: PlacedCell[],
  cell: { width: number; height: number },
): Line[] {
  const at = new Map(cells.map((c) => [c.block.key, c]));
  const used = new Map<string, number>();
  const lane = (gutter: string) => {
    const n = used.get(gutter) ?? 0;
    used.set(gutter, n + 1);
    return ((n % LANES) - (LANES - 1) / 2) * LANE;
  };
  return picture.links.flatMap((link) => {
    const from = at.get(link.source);
    const to = at.get(link.to);
    if (!from || !to) return [];
    const key = `${link.source}>${link.to}`;
    const middle = (c: PlacedCell) => c.y + cell.height / 2;
    const right = from.x + cell.width;
    if (from.row === to.row && to.column === from.column + 1) {
      return [
        {
          key,
          link,
          points: [
            [right, middle(from)],
            [to.x, middle(to)],
          ],
        },
      ];
    }
    const out = right + GUTTER_X / 2 + lane(`v ${from.row} ${from.column + 1}`);
    const into = to.x - GUTTER_X / 2 + lane(`v ${to.row} ${to.column}`);
    const along = to.y - GUTTER_Y / 2 + lane(`h ${to.row}`);
    return [
      {
        key,
        link,
        points: [
          [right, middle(from)],
          [out, middle(from)],
          [out, along],
          [into, along],
          [into, middle(to)],
          [to.x, middle(to)],
        ],
      },
    ];
  });
}

/** A block's name in at most two lines, and how likely it is at the end of the shorter one. */
function wordsOf(
  { block, x, y }: PlacedCell,
  { width, height }: { width: number; height: number },
): Words[] {
  // in a tall cell the two lines stand apart
  const step = Math.min(LINE + (height - LEAST_HEIGHT) / 2, LINE + 6);
  const most = Math.floor((width - 9) / LETTERS_WIDE);
  const said = wordOf(block);
  const lines = inLines(block.label, most);
  const left = Math.max(most - said.length - 1, 3);
  const rest = lines.slice(1).join(" ");
  const above = (lines[0] ?? "").length < rest.length && rest.length > left;
  const first = cut(lines[0] ?? "", above ? left : most);
  const second = cut(rest, above ? most : left);
  const tone: Words["tone"] = settled(block) || block.standing === "open" ? "dim" : "suspect";
  const line = (key: string, text: string, n: number, more: Partial<Words>): Words => ({
    key: `${block.key} ${key}`,
    text,
    x: x + 6,
    y: y + LINE + step * (n - 1) - 1,
    size: SMALL,
    align: "start",
    tone: block.used ? "ink" : "dim",
    ...more,
  });
  return [
    line("name 0", first, 1, {}),
    line("name 1", second, 2, {}),
    line("figure", said, above ? 1 : 2, { x: x + width - 4, align: "end", tone }),
  ].filter((words) => words.text !== "");
}

const cut = (text: string, most: number) =>
  text.length > most ? `${text.slice(0, Math.max(most - 1, 1))}…` : text;

/** What is said of a block in one word: its figure while it is suspected. */
function wordOf(block: Block): string {
  if (settled(block)) return "✓";
  if (block.standing === "mended") return "mended";
  if (block.standing === "convicted") return `✕ ${block.figure}`;
  return block.figure;
}
