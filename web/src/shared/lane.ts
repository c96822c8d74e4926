/** Where a reading sits on a window bar's lane, 0 to 1, and whether it sticks to an edge. */
export type Place = { at: number; off: "" | "left" | "right" };

export type Lane = { from: number; to: number; place: (value: number) => Place };

const MARGIN = 0.5;

/** A lane that shows the window with room on both sides; open sides reach to the edge. */
export function lane(low: number | null, high: number | null, value: number | null): Lane {
  const [start, end] = ends(low, high, value ?? 0);
  const at = (x: number) => (x - start) / (end - start);
  return {
    from: low === null ? 0 : at(low),
    to: high === null ? 1 : at(high),
    place: (x) => {
      const raw = at(x);
      if (raw < 0) return { at: 0, off: "left" };
      if (raw > 1) return { at: 1, off: "right" };
      return { at: raw, off: "" };
    },
  };
}

function ends(low: number | null, high: number | null, value: number): [number, number] {
  if (low !== null && high !== null) {
    const room = MARGIN * (high - low || Math.abs(high) || 1);
    return [low - room, high + room];
  }
  const limit = low ?? high;
  if (limit === null) return [value - 1, value + 1];
  const room = Math.abs(limit) || 1;
  return low !== null ? [limit - room, limit + room] : [limit - room, limit + MARGIN * room];
}
