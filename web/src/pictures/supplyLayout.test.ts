import { groundOf } from "./wordsLayout";
import { describe, expect, it } from "vitest";

import { layOut, type Part, type SupplyPicture } from "./supplyLayout";

const TOPOLOGIES = [
  ["half-wave", 1],
  ["full-wave, centre tap", 2],
  ["bridge", 4],
  ["doubler", 2],
  ["doubler, cascade", 2],
  ["battery", 0],
] as const;
/** The step at 1280x800, and the page of a tablet. */
const GROUNDS = [
  [820, 280],
  [820, 420],
  [756, 300],
] as const;

const part = (key: string, symbol: string, place: string, node: number, rest: Partial<Part> = {}) =>
  ({
    key,
    symbol,
    place,
    node,
    label: "",
    value: "",
    suspicion: 0,
    words: "",
    details: [],
    ...rest,
  }) as Part;

/** A small generator of its own, so that every run draws the same supplies. */
function dice(seed: number) {
  let state = seed;
  return (sides: number) => {
    state = (state * 1103515245 + 12345) % 2147483648;
    return Math.floor((state / 2147483648) * sides);
  };
}

function picture(seed: number): SupplyPicture {
  const throwing = dice(seed);
  const [topology, elements] = TOPOLOGIES[seed % TOPOLOGIES.length] ?? TOPOLOGIES[0];
  const sections = 1 + throwing(4);
  const parts: Part[] = [
    part("source", topology === "battery" ? "battery" : "winding", "source", -1, {
      label: "line 230 V",
      value: topology.startsWith("full") ? "300-0-300 V" : "300 V",
    }),
  ];
  for (let n = 0; n < elements; n++) {
    const named = n === 0 ? { label: "V5", value: "selenium", words: "half dead 84 %" } : {};
    parts.push(part(`rectifier-${n + 1}`, "diode", "rectifier", -1, named));
  }
  if (topology === "doubler") {
    parts.push(
      part("other", "electrolytic", "lower reservoir", -1, {
        label: "lower half",
        value: "47.0 uF",
      }),
    );
  }
  if (topology === "doubler, cascade") {
    parts.push(
      part("other", "electrolytic", "lead", -1, { label: "in the lead", value: "47.0 uF" }),
    );
  }
  if (topology.startsWith("full") && throwing(2)) {
    parts.push(part("choke", "choke", "input", 0, { label: "input choke", value: "10.0 H" }));
  }
  for (let n = 0; n <= sections; n++) {
    parts.push(
      part(`capacitor-${n}`, "electrolytic", n === 0 ? "reservoir" : "shunt", n, {
        label: `C2${n}a`,
        value: "16.0 uF",
        words: n === 0 ? "leaky 84 %" : "",
      }),
    );
    if (n > 0) parts.push(part(`section-${n}`, "resistor", "series", n, { value: "1.20 kohm" }));
    if (n === sections || throwing(3) === 0) {
      parts.push(part(`load-${n}`, "load", "load", n, { value: "38.0 mA" }));
    }
  }
  if (throwing(2)) {
    parts.push(
      part("bleeder", "resistor", "bleeder", sections, { label: "bleeder", value: "150 kohm" }),
    );
  }
  const heaters = throwing(9);
  for (let n = 0; n < heaters; n++) {
    parts.push(part(`heater-V${n}`, "heater", "heater", -1, { label: `V${n}`, value: "12.6 V" }));
  }
  return {
    topology,
    rail: "chassis",
    parts,
    nodes: Array.from({ length: sections + 1 }, (_, n) => ({
      name: n === 0 ? "reservoir" : n === sections ? "B+" : `filter ${n}`,
      expected: "257 V",
      read: n === sections ? "152.8 V" : "",
      verdict: n === sections ? "low" : "",
      words: n === sections ? "low by 14 %" : "",
      read_at: n === sections && sections < 2 ? "at 161 V line" : "",
    })),
    probes: [
      { node: -1, letter: "V", words: "line volts" },
      { node: sections, letter: "V", words: "your DC meter" },
    ],
    series: throwing(2) === 1,
  };
}

describe("a supply drawn", () => {
  for (const [width, height] of GROUNDS) {
    it(`has every part once and no words on others, at ${width} by ${height}`, () => {
      const all: string[] = [];
      for (let seed = 0; seed < 200; seed++) {
        const shown = picture(seed);
        const drawn = layOut(shown, width, height);
        const placed = drawn.placed.map((p) => p.part.key).sort();
        expect(placed, `parts of ${seed}`).toEqual(shown.parts.map((p) => p.key).sort());
        const grounds = drawn.words.map((w) => ({ ...groundOf(w), text: w.text, key: w.key }));
        expect(new Set(drawn.words.map((w) => w.key)).size).toBe(drawn.words.length);
        for (const { left, right, top, bottom, text } of grounds) {
          if (left < 0 || right > width || top < 0 || bottom > height) {
            all.push(`${shown.topology} ${seed}: ${text} beyond the ground`);
          }
        }
        const over = grounds.flatMap((a, n) =>
          grounds
            .slice(n + 1)
            .filter(
              (b) => a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom,
            )
            .map((b) => `${shown.topology} ${seed}: ${a.text} on ${b.text}`),
        );
        all.push(...over);
        // each node has its name and what is expected there, each once
        shown.nodes.forEach((node, n) => {
          const mine = drawn.words.filter((w) => w.key.startsWith(`node ${n} `));
          const text = mine.map((w) => w.text).join(" ");
          if (text.split(node.name).length !== 2) all.push(`${seed}: ${node.name} in ${text}`);
          if (text.split(node.expected).length !== 2) all.push(`${seed}: expected in ${text}`);
          if (node.read && !text.includes(node.read)) all.push(`${seed}: read in ${text}`);
        });
      }
      expect(all).toEqual([]);
    });
  }
});
