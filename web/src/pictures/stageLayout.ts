import type { Schemas } from "../api/client";
import { SMALL, type Words } from "./wordsLayout";

export type StageCircuit = Schemas["StageDrawingShape"];
type Part = StageCircuit["parts"][number];
type Point = [number, number];

export type PlacedStagePart = {
  part: Part;
  symbol: "resistor" | "capacitor";
  x: number;
  y: number;
};

type StageLayout = {
  wires: Point[][];
  parts: PlacedStagePart[];
  device: { x: number; y: number; suspicion: number; named: boolean };
  words: Words[];
};

export const STAGE_WIDTH = 400;
export const STAGE_HEIGHT = 250;
export const DEVICE_RADIUS = 24;

const FEED = 26;
const RAIL = 226;
const X = { coupling: 42, grid: 78, device: 196, screen: 284, bypass: 342 };
const Y = { device: 126, upper: 76, lower: 176 };
/** Half a symbol along its wire. */
const HALF = 14;
const BESIDE = 13;
/** Where each part of a stage stands, and its wires: feed above, common rail below, signal from the
 * left. */
const PLACES: Record<string, { symbol: "resistor" | "capacitor"; at: Point; wire: Point[] }> = {
  plate: {
    symbol: "resistor",
    at: [X.device, Y.upper - 16],
    wire: [
      [X.device, FEED],
      [X.device, Y.device - DEVICE_RADIUS],
    ],
  },
  cathode: {
    symbol: "resistor",
    at: [X.device, Y.lower + 16],
    wire: [
      [X.device, Y.device + DEVICE_RADIUS],
      [X.device, RAIL],
    ],
  },
  "cathode bypass": {
    symbol: "capacitor",
    at: [X.bypass, Y.lower + 16],
    wire: [
      [X.device, Y.device + DEVICE_RADIUS + 14],
      [X.bypass, Y.device + DEVICE_RADIUS + 14],
      [X.bypass, RAIL],
    ],
  },
  screen: {
    symbol: "resistor",
    at: [X.screen, Y.upper - 16],
    wire: [
      [X.screen, FEED],
      [X.screen, Y.device],
      [X.device + DEVICE_RADIUS, Y.device],
    ],
  },
  "screen bypass": {
    symbol: "capacitor",
    at: [X.screen, Y.lower + 16],
    wire: [
      [X.screen, Y.device],
      [X.screen, RAIL],
    ],
  },
  upper: {
    symbol: "resistor",
    at: [X.grid, Y.upper - 16],
    wire: [
      [X.grid, FEED],
      [X.grid, Y.device],
    ],
  },
  lower: {
    symbol: "resistor",
    at: [X.grid, Y.lower + 16],
    wire: [
      [X.grid, Y.device],
      [X.grid, RAIL],
    ],
  },
  grid: {
    symbol: "resistor",
    at: [X.grid, Y.lower + 16],
    wire: [
      [X.grid, Y.device],
      [X.grid, RAIL],
    ],
  },
  coupling: {
    symbol: "capacitor",
    at: [X.coupling, Y.device],
    wire: [
      [8, Y.device],
      [X.grid, Y.device],
    ],
  },
};
/** Where the volts of each electrode are said. */
const SAID: Record<string, { x: number; y: number; align: Words["align"] }> = {
  feed: { x: 392, y: FEED - 9, align: "end" },
  plate: { x: X.device - 10, y: Y.device - DEVICE_RADIUS - 4, align: "end" },
  screen: { x: X.screen + 10, y: Y.device - 6, align: "start" },
  cathode: { x: X.device - 10, y: Y.device + DEVICE_RADIUS + 14, align: "end" },
  grid: { x: 4, y: Y.device - 56, align: "start" },
};
/** A transistor has its divider at the left, and nothing at the right. */
const SAID_SOLID: typeof SAID = {
  ...SAID,
  plate: { x: X.device + 10, y: Y.device - DEVICE_RADIUS - 4, align: "start" },
  grid: { x: X.grid + 8, y: Y.device - 14, align: "start" },
};

/** The circuit of a stage on its own ground. */
export function layOutStage(circuit: StageCircuit): StageLayout {
  const wires: Point[][] = [
    [
      [X.grid - 20, FEED],
      [392, FEED],
    ],
    [
      [X.grid - 20, RAIL],
      [392, RAIL],
    ],
    [
      [X.grid, Y.device],
      [X.device - DEVICE_RADIUS, Y.device],
    ],
  ];
  const parts: PlacedStagePart[] = [];
  const words: Words[] = [];
  const say = (key: string, text: string, x: number, y: number, more: Partial<Words> = {}) => {
    if (text) words.push({ key, text, x, y, size: SMALL, align: "start", tone: "dim", ...more });
  };
  for (const part of circuit.parts) {
    const place = PLACES[part.place];
    if (!place) continue;
    const [x, y] = place.at;
    parts.push({ part, symbol: place.symbol, x, y });
    wires.push(place.wire);
    say(`${part.place} value`, part.value, x + BESIDE, y + 5);
    const share = shareOf(part);
    const left = part.place === "coupling" ? y + 30 : y + 21;
    say(`${part.place} share`, share, x + (part.place === "coupling" ? -14 : BESIDE), left, {
      tone: "suspect",
    });
  }
  if (!circuit.parts.some((p) => p.place === "plate")) wires.push(PLACES.plate?.wire ?? []);
  for (const volts of circuit.volts) {
    const place = (circuit.solid ? SAID_SOLID : SAID)[volts.at];
    if (place) {
      const sound = volts.sound === volts.read ? "" : ` (${volts.sound})`;
      say(`${volts.at} volts`, `${volts.read}${sound}`, place.x, place.y, {
        align: place.align,
        tone: "ink",
      });
    }
  }
  const device = circuit.parts.find((p) => p.place === "device");
  say("name", circuit.name, X.device + DEVICE_RADIUS + 6, Y.device - 8, {
    tone: "ink",
  });
  if (device) {
    say("device share", shareOf(device), X.device + DEVICE_RADIUS + 6, Y.device + 22, {
      tone: "suspect",
    });
  }
  say("before", circuit.before, 8, Y.device - 8);
  return {
    wires,
    parts,
    device: {
      x: X.device,
      y: Y.device,
      suspicion: device?.suspicion ?? 0,
      named: device?.named ?? false,
    },
    words,
  };
}

/** How likely a part is, in whole per cents; nothing below one. */
export const shareOf = (part: Part) => {
  const share = Math.round(100 * part.suspicion);
  return share >= 1 ? `${share} %` : "";
};

export const STAGE_HALF = HALF;
