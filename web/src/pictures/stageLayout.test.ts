import { describe, expect, it } from "vitest";

import { layOutStage, STAGE_HEIGHT, STAGE_WIDTH, type StageCircuit } from "./stageLayout";
import { groundOf } from "./wordsLayout";

const VOLTS = (at: string) => ({ at, words: at, read: "235 V", sound: "98.4 V" });
/** Of a capacitor only the leak is drawn, without a value. */
const part = (place: string, suspicion: number) => ({
  place,
  words: place,
  value: place.includes("bypass") || place === "coupling" ? "" : "68.0 kohm",
  suspicion,
  named: suspicion > 0.1,
});

/** A tube with everything around it, and a transistor; all of it under suspicion. */
const CIRCUITS: StageCircuit[] = [
  {
    name: "V4",
    solid: false,
    before: "V3",
    parts: ["plate", "screen", "cathode", "grid", "coupling", "screen bypass", "cathode bypass"]
      .map((place) => part(place, 0.12))
      .concat({ place: "device", words: "tube", value: "V4", suspicion: 0.4, named: true }),
    volts: ["plate", "screen", "cathode", "grid", "feed"].map(VOLTS),
  },
  {
    name: "Q2",
    solid: true,
    before: "Q1",
    parts: ["plate", "cathode", "upper", "lower", "coupling", "cathode bypass"]
      .map((place) => part(place, 0.12))
      .concat({ place: "device", words: "transistor", value: "Q2", suspicion: 0.4, named: true }),
    volts: ["plate", "cathode", "grid", "feed"].map(VOLTS),
  },
];

describe("a stage's circuit", () => {
  for (const circuit of CIRCUITS) {
    it(`has every part once and no words on others: ${circuit.name}`, () => {
      const drawn = layOutStage(circuit);
      const placed = drawn.parts.map((p) => p.part.place).sort();
      const wanted = circuit.parts.map((p) => p.place).filter((p) => p !== "device");
      expect(placed).toEqual(wanted.sort());
      const grounds = drawn.words.map((w) => ({ w, ...groundOf(w) }));
      const faults: string[] = [];
      grounds.forEach((a, n) => {
        if (a.left < 0 || a.right > STAGE_WIDTH || a.top < 0 || a.bottom > STAGE_HEIGHT)
          faults.push(`${a.w.text} out`);
        for (const b of grounds.slice(n + 1))
          if (a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom)
            faults.push(`${a.w.key} on ${b.w.key}`);
      });
      for (const wire of drawn.wires)
        wire.slice(1).forEach(([x, y], n) => {
          const [u, v] = wire[n] ?? [x, y];
          for (const a of grounds)
            if (u === x && a.left < x && x < a.right && Math.min(v, y) < a.bottom)
              if (a.top < Math.max(v, y)) faults.push(`a wire through ${a.w.key}`);
        });
      expect(faults).toEqual([]);
      for (const v of circuit.volts)
        expect(drawn.words.some((w) => w.text.includes(v.read))).toBe(true);
    });
  }
});
