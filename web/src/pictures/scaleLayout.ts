import type { Schemas } from "../api/client";
import { LETTER, SMALL } from "./wordsLayout";

export type Scale = Schemas["ScalePictureShape"];
export type Mark = Scale["marks"][number];
type Point = { x: number; y: number };

const SIDE = 24;
const GAP = 16;
const SCALE_Y = 46;
const LENS_TOP = 104;
/** What another scale takes above the one that is read. */
const BESIDE = 28;
/** What its unit takes at its right end. */
const UNIT = 30;
const UNDER = 12;
/** What the next reading as it is foretold takes at the foot of a lens. */
const FORETOLD = 60;
/** A row of words. */
const ROW = 20;
/** A lens shows this many tolerances either side, and more where a reading lies further off. */
const LEAST_REACH = 2;

export type Lens = {
  mark: Mark;
  /** Where the mark stands on the scale. */
  at: number;
  left: number;
  right: number;
  middle: number;
  stripe: { left: number; right: number };
  /** Where the next reading is foretold, as far as it lies in the lens. */
  foretold: { left: number; right: number } | null;
  /** Room for the words of every reading, not of the last alone. */
  roomy: boolean;
  readings: (Point & { reading: Mark["readings"][number]; last: boolean; label: string })[];
};

/** What stands beside a reading's mark: on its free side, the words too where they have room. */
const BESIDE_MARK = 14;
const LABEL = 14;

/** The scale along the top, and under each mark a lens in which its readings creep home. */
export function spreadOut(scale: Scale, width: number, height: number) {
  const long = width - 2 * SIDE;
  const beside = scale.beside.map((other, n) => ({ ...other, y: BESIDE * (n + 1) - 4 }));
  const down = BESIDE * beside.length;
  const scaleY = SCALE_Y + down;
  const lensTop = LENS_TOP + down;
  const each = (long - GAP * (scale.marks.length - 1)) / Math.max(scale.marks.length, 1);
  const bottom = height - UNDER;
  const lenses: Lens[] = scale.marks.map((mark, n) => {
    const left = SIDE + n * (each + GAP);
    const middle = left + each / 2;
    const offs = [
      ...mark.readings.map((r) => r.off),
      ...(mark.foretold ? [mark.foretold.low, mark.foretold.high] : []),
    ];
    const furthest = Math.max(LEAST_REACH, ...offs.map((off) => 1.15 * Math.abs(off)));
    const unit = each / 2 / furthest;
    const room = bottom - lensTop - 40 - (mark.foretold ? FORETOLD : 0);
    const step = room / Math.max(mark.readings.length, 1);
    return {
      mark,
      at: SIDE + long * mark.place,
      left,
      right: left + each,
      middle,
      roomy: each > 200 && step >= ROW,
      stripe: { left: middle - unit, right: middle + unit },
      foretold: mark.foretold && {
        left: middle - unit * mark.foretold.high,
        right: middle - unit * mark.foretold.low,
      },
      readings: mark.readings.map((reading, k) => {
        const x = middle - unit * reading.off;
        const last = k === mark.readings.length - 1;
        const free = (x < middle ? left + each - x : x - left) - BESIDE_MARK;
        const whole = `${reading.text} ${reading.words}`;
        const fits = !last && whole.length * LABEL * LETTER <= free;
        const label = fits ? whole : reading.text;
        return { reading, x, y: lensTop + 34 + step * (k + 0.5), last, label };
      }),
    };
  });
  const figures = beside.map(({ band, unit, y, figures: all }) => {
    let free = 0;
    const at = all.map(({ place, text }) => ({ x: SIDE + long * place, text }));
    // a figure that would touch the one before it is left out; its tick stays
    const shown = at.map(({ x, text }) => {
      const half = (text.length * SMALL * LETTER) / 2;
      const fits = x - half > free && x + half < SIDE + long - UNIT;
      if (fits) free = x + half + 4;
      return { x, text: fits ? text : "" };
    });
    return { band, unit, y, figures: shown };
  });
  const searched = scale.searched && {
    left: SIDE + long * scale.searched.low,
    right: SIDE + long * scale.searched.high,
  };
  return {
    left: SIDE,
    right: SIDE + long,
    scaleY,
    lensTop,
    bottom,
    lenses,
    beside: figures,
    searched,
  };
}
