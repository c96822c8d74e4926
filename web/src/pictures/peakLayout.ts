/** A reading at a place: turns from the best, or the time at which it was taken, in milliseconds. */
export type Sample = { at: number; value: number };

type Point = { x: number; y: number };

const SIDE = 56;
const UNDER = 46;
const OVER = 26;

/** Where the bell, the best, the reading now and the ticks go on a ground of that size. */
export function lieOut(points: Sample[], live: Sample[], width: number, height: number) {
  const base = height - UNDER;
  const left = SIDE;
  const right = width - SIDE;
  const values = [...points, ...live].map((p) => p.value);
  const top = Math.max(...values);
  // what was read takes three quarters of the ground, and a still needle is no cliff
  const span = Math.max(top - Math.min(...values), 0.06 * top);
  const bottom = top - 1.35 * span;
  const reach = Math.max(0.25, ...points.map((p) => Math.abs(p.at))) * 1.15;
  const x = (at: number) => (left + right) / 2 + ((right - left) / 2) * (at / reach);
  const y = (value: number) =>
    base - ((base - OVER) * (value - bottom)) / Math.max(top - bottom, 1e-9);
  const place = (p: Sample): Point => ({ x: x(p.at), y: y(p.value) });
  const newest = live[live.length - 1];
  const last = points[points.length - 1] ?? { at: 0, value: top };
  const highest = points.reduce((a, b) => (b.value > a.value ? b : a), last);
  const now = place({ at: last.at, value: newest?.value ?? last.value });
  const best = place(highest);
  const places = lastOfEach(points).map(place);
  const lift = Math.max(best.y - 34, 4);
  const way = Math.sign(now.x - best.x);
  return {
    left,
    right,
    base,
    now,
    best,
    /** Room enough for an arrow between the two. */
    apart: Math.abs(now.x - best.x) > 24,
    places,
    bell: path(places),
    lately: path(
      live
        .map((p) => ({ x: now.x + 0.006 * (p.at - (newest?.at ?? 0)), y: y(p.value) }))
        .filter((p) => p.x > left),
    ),
    arrow: `M${now.x} ${now.y - 14}Q${(now.x + best.x) / 2} ${lift} ${best.x + way * 12} ${best.y - 12}`,
    head: `M${best.x + way * 6} ${best.y - 10}l${way * 13} -8l${way * 2} 12Z`,
    ticks: ticks(reach).map((at) => ({ x: x(at), text: fraction(at) })),
  };
}

/** The last reading of each place, from left to right. */
function lastOfEach(points: Sample[]) {
  const found = new Map(points.map((p) => [Math.round(p.at * 64), p]));
  return [...found.values()].sort((a, b) => a.at - b.at);
}

const path = (points: Point[]) =>
  points.map((p, n) => `${n === 0 ? "M" : "L"}${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join("");

/** Five to nine round places: sixteenths, eighths, quarters, halves or whole turns. */
function ticks(reach: number) {
  const step = [1 / 16, 1 / 8, 1 / 4, 1 / 2, 1, 2, 5].find((s) => reach / s <= 4.5) ?? 10;
  const count = Math.floor(reach / step);
  return Array.from({ length: 2 * count + 1 }, (_, n) => (n - count) * step);
}

/** A multiple of a sixteenth as a hand says it. */
export function fraction(at: number) {
  const sixteenths = Math.round(Math.abs(at) * 16);
  if (sixteenths === 0) return "0";
  const whole = Math.floor(sixteenths / 16);
  let [up, down] = [sixteenths % 16, 16];
  while (up > 0 && up % 2 === 0) [up, down] = [up / 2, down / 2];
  const rest = up > 0 ? `${up}/${down}` : "";
  const text = [whole > 0 ? String(whole) : "", rest].filter(Boolean).join(" ");
  return at < 0 ? `-${text}` : text;
}
