import { inLines, SMALL, type Words } from "./wordsLayout";
import type { Schemas } from "../api/client";

export type SupplyPicture = Schemas["SupplyPictureShape"];
export type Part = SupplyPicture["parts"][number];
export type Node = SupplyPicture["nodes"][number];

/** A part at its place: centre, and whether it lies along the wire or stands across it. */
export type Placed = {
  part: Part;
  x: number;
  y: number;
  upright: boolean;
  flipped?: boolean;
  /** Half of what a source takes from end to end. */
  half?: number;
};

type Wire = { points: [number, number][]; tone: "ink" | "glow"; dashed?: boolean };
type Dot = { x: number; y: number; lit: boolean };
type Meter = { x: number; y: number; letter: string };

type SupplyLayout = {
  wires: Wire[];
  dots: Dot[];
  placed: Placed[];
  meters: Meter[];
  words: Words[];
};

/** Beside a capacitor the next node is near. */
const LONGEST = 14;
const TOP = 70;
const LEFT = 56;
/** Between two nodes from here on, figures are large and names stand beside them. */
const ROOMY = 160;
/** Where everything of a supply goes on a ground of that size. */
export function layOut(picture: SupplyPicture, width: number, height: number): SupplyLayout {
  return new Drawing(picture, width, height).done();
}

/** One drawing in the making: wires, parts and words are put down from the source to the load. */
class Drawing {
  private readonly wires: Wire[] = [];
  private readonly dots: Dot[] = [];
  private readonly placed: Placed[] = [];
  private readonly meters: Meter[] = [];
  private readonly words: Words[] = [];
  private readonly bottom: number;
  private readonly first: number;
  private readonly pitch: number;

  constructor(
    private readonly picture: SupplyPicture,
    private readonly width: number,
    private readonly height: number,
  ) {
    const heaters = this.of("heater").length > 0;
    this.bottom = height - (heaters ? 84 : 40);
    this.first = this.isBattery ? 150 : this.of("input").length > 0 ? 350 : 268;
    const beside = this.of("bleeder").length > 0 ? 76 : 10;
    this.pitch = (width - this.first - beside) / picture.nodes.length;
  }

  done(): SupplyLayout {
    this.source();
    if (!this.isBattery) this.rectifier();
    this.input();
    this.nodes();
    this.probes();
    this.heaters();
    this.say("rail", this.picture.rail, LEFT + 14, this.bottom + 18, { tone: "dim" });
    const { wires, dots, placed, meters, words } = this;
    return { wires, dots, placed, meters, words };
  }

  private get isBattery() {
    return this.picture.topology === "battery";
  }

  private get middle() {
    return (TOP + this.bottom) / 2;
  }

  private of(place: string, node?: number) {
    return this.picture.parts.filter(
      (p) => p.place === place && (node === undefined || p.node === node),
    );
  }

  private wire(...points: [number, number][]) {
    this.wires.push({ points, tone: "ink" });
  }

  private dot(x: number, y: number, lit = false) {
    this.dots.push({ x, y, lit });
  }

  private put(part: Part | undefined, x: number, y: number, upright: boolean, flipped = false) {
    if (part) this.placed.push({ part, x, y, upright, flipped });
  }

  private say(key: string, text: string, x: number, y: number, more: Partial<Words> = {}) {
    if (!text) return;
    this.words.push({ key, text, x, y, size: SMALL, align: "start", tone: "ink", ...more });
  }

  /** Label, value and suspicion of a part, one under the other; `up` piles them upward. */
  private labels(
    part: Part | undefined,
    x: number,
    y: number,
    { align = "start", up = false }: { align?: Words["align"]; up?: boolean } = {},
  ) {
    if (!part) return;
    const lines: [string, string, Words["tone"]][] = [
      ["label", part.label, "ink"],
      ["value", part.value, "dim"],
      ...inLines(part.words, this.pitch > ROOMY ? Infinity : LONGEST).map(
        (text, n): [string, string, Words["tone"]] => [`suspicion ${n}`, text, "suspect"],
      ),
    ];
    const shown = lines.filter(([, text]) => text);
    shown.forEach(([name, text, tone], n) => {
      const line = up ? n - shown.length + 1 : n;
      this.say(`${part.key} ${name}`, text, x, y + 16 * line, { align, tone });
    });
  }

  /** Label and value beside each other where two capacitors stand one above the other. */
  private inOneLine(part: Part | undefined, x: number, y: number) {
    if (!part) return;
    this.say(`${part.key} label`, `${part.label} ${part.value}`, x, y);
    this.say(`${part.key} suspicion`, part.words, x, y + 16, { tone: "suspect" });
  }

  private get half() {
    return (this.bottom - TOP) / 2 - 24;
  }

  private source() {
    const [source] = this.of("source");
    if (!source) return;
    this.placed.push({ part: source, x: LEFT, y: this.middle, upright: true, half: this.half });
    // the words keep off the winding's own wires
    const high = this.middle - this.half;
    const apart = this.picture.topology === "bridge" || this.picture.topology === "doubler";
    if (apart) this.labels(source, LEFT + 18, high - 8, { up: true });
    else this.labels(source, LEFT + 18, TOP + (this.of("lead").length > 0 ? 32 : 22));
  }

  /** Label, value and suspicion above what lies on the top wire. */
  private above(part: Part | undefined, x: number) {
    this.labels(part, x, TOP - 24, { align: "middle", up: true });
  }

  private rectifier() {
    const [one, two, three, four] = this.of("rectifier");
    const { middle, bottom, first, half } = this;
    const [high, low] = [middle - half, middle + half];
    const to = first - 60;
    const across = this.of("input").length > 0 ? to - 82 : to;
    switch (this.picture.topology) {
      case "full-wave, centre tap": {
        this.wire([LEFT, high], [LEFT, TOP], [across, TOP]);
        this.put(one, 160, TOP, false);
        this.wire([LEFT, low], [across - 6, low], [across - 6, TOP]);
        this.put(two, 160, low, false);
        this.wire([LEFT + 8, middle], [96, middle], [96, bottom], [across, bottom]);
        this.dot(across - 6, TOP);
        break;
      }
      case "bridge": {
        const x = 164;
        const r = Math.min(44, half);
        this.wire([LEFT, high], [x - r, high], [x - r, middle]);
        this.wire([LEFT, low], [x + r + 8, low], [x + r + 8, middle], [x + r, middle]);
        this.wire([x - r, middle], [x, middle - r], [x + r, middle], [x, middle + r]);
        this.wire([x, middle + r], [x - r, middle]);
        this.wire([x, middle - r], [x, TOP], [across, TOP]);
        this.wire([x, middle + r], [x, bottom], [across, bottom]);
        const corners = [
          [-1, -1],
          [1, -1],
          [-1, 1],
          [1, 1],
        ];
        [one, two, three, four].forEach((part, n) => {
          const [dx, dy] = corners[n] ?? [0, 0];
          this.put(part, x + ((dx ?? 0) * r) / 2, middle + ((dy ?? 0) * r) / 2, false, n % 2 === 1);
        });
        this.above(one, x);
        return;
      }
      case "doubler": {
        const [joint, tap] = [middle - 30, middle + 8];
        this.wire([LEFT, high], [108, high], [108, joint], [150, joint]);
        this.wire([150, TOP], [150, bottom]);
        this.wire([150, TOP], [across, TOP]);
        this.dot(150, joint);
        this.put(one, 150, (TOP + joint) / 2, true);
        this.put(two, 150, (tap + bottom) / 2 + 4, true);
        this.wire([150, bottom], [across, bottom]);
        this.wire([LEFT, low], [100, low], [100, tap], [first, tap]);
        this.dot(first, tap);
        this.above(one, 150);
        return;
      }
      case "doubler, cascade": {
        const [lead] = this.of("lead");
        this.wire([LEFT, high], [LEFT, TOP], [across, TOP]);
        this.put(lead, 98, TOP, false);
        this.above(lead, 98);
        this.wire([140, TOP], [140, bottom]);
        this.dot(140, TOP);
        this.dot(140, bottom);
        this.put(two, 140, middle + 14, true);
        this.put(one, 182, TOP, false);
        this.wire([LEFT, low], [LEFT, bottom], [across, bottom]);
        this.above(one, 182);
        return;
      }
      default: {
        this.wire([LEFT, high], [LEFT, TOP], [across, TOP]);
        this.put(one, 160, TOP, false);
        this.wire([LEFT, low], [LEFT, bottom], [across, bottom]);
      }
    }
    this.above(one, 160);
  }

  /** What stands between the rectifier and the first node. */
  private input() {
    const inputs = this.of("input");
    const from = this.isBattery ? LEFT : this.first - (inputs.length > 0 ? 142 : 60);
    this.wire([from, TOP], [this.first, TOP]);
    this.wire([from, this.bottom], [this.first, this.bottom]);
    if (this.isBattery) {
      this.wire([LEFT, TOP], [LEFT, this.bottom]);
    }
    inputs.forEach((part, n) => {
      const x = this.first - 80 - 70 * n;
      this.put(part, x, TOP, false);
      this.labels(part, x, TOP + 30, { align: "middle" });
    });
  }

  private x(node: number) {
    return this.first + this.pitch * node;
  }

  private nodes() {
    const last = this.picture.nodes.length - 1;
    this.picture.nodes.forEach((node, n) => {
      const x = this.x(n);
      const end = n < last ? this.x(n + 1) : x + 96;
      this.wire([x, TOP], [end, TOP]);
      this.wire([x, this.bottom], [end, this.bottom]);
      this.dot(
        x,
        TOP,
        this.picture.probes.some((p) => p.node === n),
      );
      this.figures(node, n, x);
      this.shunt(n, x);
      this.load(n, x);
      this.along(n, x);
    });
  }

  private figures(node: Node, n: number, x: number) {
    const left = x - 8;
    const room = this.pitch > ROOMY;
    const key = `node ${n}`;
    if (room) {
      this.say(`${key} expected`, `${node.name}: ${node.expected}`, left, 16, { tone: "dim" });
    } else {
      this.say(`${key} name`, node.name, left, 14, { tone: "dim" });
      this.say(`${key} expected`, node.expected, left, 29, { tone: "dim" });
    }
    this.say(`${key} read`, node.read, left, room ? 42 : 45, { size: room ? 22 : 15, mono: true });
    const words = room ? `${node.words} ${node.read_at}` : node.verdict;
    this.say(`${key} verdict`, words.trim(), left + 16, 61, {
      tone: "verdict",
      verdict: node.verdict,
    });
  }

  private shunt(n: number, x: number) {
    const [capacitor] = this.of(n === 0 ? "reservoir" : "shunt", n === 0 ? undefined : n);
    const [lower] = n === 0 ? this.of("lower reservoir") : [];
    this.wire([x, TOP], [x, this.bottom]);
    this.dot(x, this.bottom);
    // a ring around it takes room
    const beside = x + (capacitor?.suspicion ? 36 : 22);
    if (!lower) {
      this.put(capacitor, x, this.middle, true);
      this.labels(capacitor, beside, this.middle - 4);
      return;
    }
    const tap = this.middle + 8;
    this.put(capacitor, x, (TOP + tap) / 2, true);
    this.inOneLine(capacitor, beside, (TOP + tap) / 2 + 3);
    this.put(lower, x, (tap + this.bottom) / 2, true);
    this.inOneLine(lower, x + (lower.suspicion > 0 ? 36 : 22), (tap + this.bottom) / 2 + 3);
  }

  private load(n: number, x: number) {
    const [load] = this.of("load", n);
    const [bleeder] = this.of("bleeder", n);
    const at = x + Math.min(96, this.pitch - 34);
    if (load) {
      this.wire([at, TOP], [at, this.bottom]);
      this.wire([x, TOP], [at, TOP]);
      this.wire([x, this.bottom], [at, this.bottom]);
      this.put(load, at, TOP + 56, true);
      this.say(`${load.key} value`, load.value, at, this.bottom + 18, { align: "middle" });
    }
    if (bleeder) {
      const far = at + 62;
      this.wire([at, TOP], [far, TOP], [far, this.bottom], [at, this.bottom]);
      this.put(bleeder, far, TOP + 56, true);
      this.say(`${bleeder.key} label`, bleeder.label, far, this.bottom + 18, { align: "middle" });
      this.say(`${bleeder.key} value`, bleeder.value, far, this.bottom + 33, {
        align: "middle",
        tone: "dim",
      });
    }
  }

  /** What lies along the wire to the next node. */
  private along(n: number, x: number) {
    const [series] = this.of("series", n + 1);
    const [behind] = this.of("behind", n);
    const room = this.pitch;
    if (behind) {
      this.put(behind, x + room * 0.3, TOP, false);
      this.labels(behind, x + room * 0.3, TOP + 24, { align: "middle" });
    }
    if (!series) return;
    const at = x + room * (behind ? 0.75 : 0.5);
    this.put(series, at, TOP, false);
    this.say(`${series.key} value`, series.value, at, TOP + 23, { align: "middle", tone: "dim" });
    this.say(`${series.key} suspicion`, series.words, at, TOP + 39, {
      align: "middle",
      tone: "suspect",
    });
  }

  private probes() {
    for (const probe of this.picture.probes) {
      const place = probe.node === 0 ? "reservoir" : "shunt";
      const ringed = this.of(place, probe.node).some((p) => p.suspicion > 0);
      const x = probe.node < 0 ? LEFT - 28 : this.x(probe.node) - (ringed ? 46 : 30);
      const top = probe.node < 0 ? this.middle - this.half : TOP;
      const bottom = probe.node < 0 ? this.middle + this.half : this.bottom;
      const from = probe.node < 0 ? LEFT : this.x(probe.node);
      // a meter stands beside no words: with room above those of the capacitor before it
      const inside = this.pitch > ROOMY ? TOP + 40 : this.bottom - 32;
      const y = probe.node < 0 ? this.middle : inside;
      this.wires.push({
        points: [
          [from, top],
          [x, top],
          [x, bottom],
          [from, bottom],
        ],
        tone: "glow",
        dashed: true,
      });
      this.meters.push({ x, y, letter: probe.letter });
      if (probe.node < 0) continue;
      this.say(`probe ${probe.node}`, probe.words, x, this.bottom + 32, {
        tone: "glow",
        align: "middle",
      });
    }
  }

  private heaters() {
    const heaters = this.of("heater");
    const [dropper] = this.of("dropper");
    const row = [...(dropper ? [dropper] : []), ...heaters];
    if (row.length === 0) return;
    const y = this.height - 32;
    const step = Math.min(92, (this.width - LEFT - 40) / row.length);
    const end = LEFT + step * row.length;
    if (this.picture.series) this.wire([LEFT, y], [end, y]);
    else {
      this.wire([LEFT, y - 9], [end, y - 9]);
      this.wire([LEFT, y + 9], [end, y + 9]);
    }
    row.forEach((part, n) => {
      const x = LEFT + step * (n + 0.5);
      this.put(part, x, y, !this.picture.series);
      const text = step > 74 ? `${part.label} ${part.value}` : part.label;
      this.say(`${part.key} label`, text, x, y + 27, { align: "middle", tone: "dim" });
    });
  }
}
