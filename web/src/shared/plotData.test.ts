import { describe, expect, it } from "vitest";

import type { PlotData } from "../api/client";
import { apart, joined, pointWords } from "./plotData";

const plot: PlotData = {
  title: "B+",
  x_label: "line (V)",
  y_label: "B+ (V)",
  tolerance: null,
  marks: [],
  main: false,
  decades: false,
  lines: [
    { label: "expected", role: "expected", x: [100, 200], y: [50, 150] },
    { label: "read", role: "measured", x: [150, 200], y: [90, null] },
  ],
};

describe("plot data", () => {
  it("puts lines with points of their own on one rising axis", () => {
    expect(joined(plot)).toEqual([
      [100, 150, 200],
      [50, undefined, 150],
      [undefined, 90, null],
    ]);
  });
  it("reads a point in words, and only the lines that have a value there", () => {
    const columns = joined(plot);
    expect(pointWords(plot, columns, 0)).toBe("line (V) 100.0: expected 50.00");
    expect(pointWords(plot, columns, 1)).toBe("line (V) 150.0: read 90.00");
    expect(pointWords(plot, columns, 9)).toBe("");
  });
});

describe("words at the ends of lines", () => {
  it("lie apart, the lowest where it was", () => {
    const found = apart([{ y: 100 }, { y: 103 }, { y: 20 }, { y: 101 }], 16);
    expect(found.map((p) => p.y)).toEqual([103, 87, 71, 20]);
  });
});
