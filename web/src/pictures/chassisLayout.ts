import type { Schemas } from "../api/client";
import { LETTER, SMALL } from "./wordsLayout";

export type ChassisPicture = Schemas["ChassisPictureShape"];
export type ChassisItem = ChassisPicture["items"][number];

/** How the set lies on the bench. */
export const POSTURES = ["upright", "upside down", "on its end", "from behind"] as const;
export type Posture = (typeof POSTURES)[number];

export type PlacedItem = {
  item: ChassisItem;
  x: number;
  y: number;
  width: number;
  height: number;
  /** Seen only as what goes through to the other side. */
  through: boolean;
  /** Its short name, where it has room. */
  short: string;
};

type ChassisLayout = {
  /** The chassis itself. */
  left: number;
  top: number;
  width: number;
  height: number;
  /** Which edge is the front: a word at that edge. */
  front: { x: number; y: number; turned: boolean } | null;
  items: PlacedItem[];
  /** What a place on the page is on the chassis, in mm. */
  back: (x: number, y: number) => { x: number; y: number };
};

const MARGIN = 18;

/** How a side is looked at, as long as nobody turns the set. */
export const postureOf = (side: string): Posture =>
  side === "underside" ? "upside down" : side === "rear" ? "from behind" : "upright";

/** The side that is seen in a posture; on its end it is the one that is worked on. */
export const sideSeen = (posture: Posture, side: string) =>
  posture === "upright"
    ? "top"
    : posture === "upside down"
      ? "underside"
      : posture === "from behind"
        ? "rear"
        : side === "underside"
          ? "underside"
          : "top";

/** Rolled over or from behind, left and right change; the front edge stays at the bottom. */
export const isMirrored = (side: string) => side === "underside" || side === "rear";

/** The chassis in a posture, as large as the ground allows. */
export function layOutChassis(
  picture: Pick<ChassisPicture, "width_mm" | "depth_mm" | "height_mm" | "items" | "side">,
  posture: Posture,
  width: number,
  height: number,
): ChassisLayout {
  const seen = sideSeen(posture, picture.side);
  const onEnd = posture === "on its end";
  const across = picture.width_mm;
  const along = seen === "rear" ? picture.height_mm : picture.depth_mm;
  const [wide, high] = onEnd ? [along, across] : [across, along];
  const scale = Math.min((width - 2 * MARGIN) / wide, (height - 2 * MARGIN) / high);
  const left = (width - wide * scale) / 2;
  const top = (height - high * scale) / 2;
  const mirrored = isMirrored(seen);
  const items = picture.items.flatMap((item): PlacedItem[] => {
    const through = seen === "underside" && item.side === "top" && goesThrough(item);
    if (item.side !== seen && !through) return [];
    const x = mirrored ? across - item.x_mm : item.x_mm;
    const y = along - item.y_mm;
    // on its left end the left edge is at the bottom
    const [px, py] = onEnd ? [y, across - x] : [x, y];
    const [w, h] = onEnd ? [item.depth_mm, item.width_mm] : [item.width_mm, item.depth_mm];
    const drawn = w * scale;
    return [
      {
        item,
        x: left + px * scale,
        y: top + py * scale,
        width: drawn,
        height: h * scale,
        through,
        short: picture.items.some((other) => covers(item, other)) ? "" : shortName(item, drawn),
      },
    ];
  });
  const front =
    seen === "rear"
      ? null
      : onEnd
        ? { x: left + wide * scale + 13, y: height / 2, turned: true }
        : { x: width / 2, y: top + high * scale + 14, turned: false };
  const back = (pageX: number, pageY: number) => {
    const [px, py] = [(pageX - left) / scale, (pageY - top) / scale];
    const [x, y] = onEnd ? [across - py, px] : [px, py];
    return { x: mirrored ? across - x : x, y: along - y };
  };
  return { left, top, width: wide * scale, height: high * scale, front, items, back };
}

/** Where on the set somebody clicked; on a photo in thousandths. */
export function placeAt(
  event: { clientX: number; clientY: number; currentTarget: Element },
  picture: ChassisPicture,
  posture: Posture,
  height: number,
) {
  const drawn = event.currentTarget.querySelector("svg, img");
  if (!drawn) return null;
  const box = drawn.getBoundingClientRect();
  const [x, y] = [event.clientX - box.left, event.clientY - box.top];
  if (picture.photo_id) return { x: (1000 * x) / box.width, y: (1000 * y) / box.height };
  return layOutChassis(picture, posture, box.width, height).back(x, y);
}

/** Whether an adjuster sits on a thing, where its name would stand. */
const covers = (thing: ChassisItem, other: ChassisItem) =>
  other !== thing &&
  (other.thing === "core" || other.thing === "trimmer") &&
  Math.abs(other.x_mm - thing.x_mm) < thing.width_mm / 2 &&
  Math.abs(other.y_mm - thing.y_mm) < thing.depth_mm / 2;

const goesThrough = (item: ChassisItem) => item.thing === "tube" || item.thing === "can";

/** A tube's or a can's key, where its own ground can hold it. */
function shortName(item: ChassisItem, width: number) {
  if (!goesThrough(item)) return "";
  const name = item.key.toUpperCase();
  return name.length * SMALL * LETTER <= width + 8 ? name : "";
}
