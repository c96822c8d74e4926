import type { Schemas } from "../api/client";

export type Scale = Schemas["ScalePictureShape"];
export type Mark = Scale["marks"][number];
type Point = { x: number; y: number };

const SIDE = 24;
const GAP = 16;
const SCALE_Y = 46;
const LENS_TOP = 104;
const UNDER = 12;
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
  /** Room for the words of every reading, not of the last alone. */
  roomy: boolean;
  readings: (Point & { reading: Mark["readings"][number]; last: boolean })[];
};

/** The scale along the top, and under each mark a lens in which its readings creep home. */
export function spreadOut(scale: Scale, width: number, height: number) {
  const long = width - 2 * SIDE;
  const each = (long - GAP * (scale.marks.length - 1)) / Math.max(scale.marks.length, 1);
  const bottom = height - UNDER;
  const lenses: Lens[] = scale.marks.map((mark, n) => {
    const left = SIDE + n * (each + GAP);
    const middle = left + each / 2;
    const furthest = Math.max(LEAST_REACH, ...mark.readings.map((r) => 1.15 * Math.abs(r.off)));
    const unit = each / 2 / furthest;
    const room = bottom - LENS_TOP - 40;
    const step = room / Math.max(mark.readings.length, 1);
    return {
      mark,
      at: SIDE + long * mark.place,
      left,
      right: left + each,
      middle,
      roomy: each > 200,
      stripe: { left: middle - unit, right: middle + unit },
      readings: mark.readings.map((reading, k) => ({
        reading,
        x: middle - unit * reading.off,
        y: LENS_TOP + 34 + step * (k + 0.5),
        last: k === mark.readings.length - 1,
      })),
    };
  });
  return { left: SIDE, right: SIDE + long, scaleY: SCALE_Y, lensTop: LENS_TOP, bottom, lenses };
}
