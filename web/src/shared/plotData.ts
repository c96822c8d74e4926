import type { PlotData } from "../api/client";

export type Column = (number | null | undefined)[];

/** The lines of a plot on one rising x axis, as the canvas wants them; gaps are undefined. */
export function joined(plot: PlotData): Column[] {
  const axis = [...new Set(plot.lines.flatMap((line) => line.x))].sort((a, b) => a - b);
  const place = new Map(axis.map((x, n) => [x, n]));
  return [
    axis,
    ...plot.lines.map((line) => {
      const column: Column = new Array<undefined>(axis.length).fill(undefined);
      line.x.forEach((x, n) => {
        const at = place.get(x);
        if (at !== undefined) column[at] = line.y[n] ?? null;
      });
      return column;
    }),
  ];
}

/** The nearest point that has a value in any line, in words for a screen reader. */
export function pointWords(plot: PlotData, columns: Column[], index: number): string {
  const x = columns[0]?.[index];
  if (x === undefined || x === null) return "";
  const values = plot.lines.flatMap((line, n) => {
    const y = columns[n + 1]?.[index];
    return y === undefined || y === null ? [] : [`${line.label} ${y.toFixed(2)}`];
  });
  return `${plot.x_label} ${x.toPrecision(4)}: ${values.join(", ")}`;
}

/** An upright line in words: what it marks and where. */
export const markWords = (plot: PlotData) =>
  plot.marks.filter((m) => m.label).map((m) => `${m.label} at ${m.x.toPrecision(5)}`);

/** Words at the ends of lines, moved up as far as it takes that none lies on another. */
export function apart<T extends { y: number }>(places: T[], gap: number): T[] {
  const placed: T[] = [];
  for (const place of [...places].sort((a, b) => b.y - a.y)) {
    const above = placed.at(-1);
    placed.push({ ...place, y: above ? Math.min(place.y, above.y - gap) : place.y });
  }
  return placed;
}
