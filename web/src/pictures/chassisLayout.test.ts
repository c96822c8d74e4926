import { describe, expect, it } from "vitest";

import { type ChassisItem, layOutChassis, type Posture, POSTURES, sideSeen } from "./chassisLayout";

const item = (key: string, rest: Partial<ChassisItem> = {}): ChassisItem => ({
  key,
  label: key,
  thing: "trimmer",
  side: "top",
  x_mm: 100,
  y_mm: 50,
  width_mm: 12,
  depth_mm: 12,
  reach: "",
  lit: false,
  done: false,
  sealed: false,
  mistaken: false,
  ...rest,
});

const SET = {
  width_mm: 400,
  depth_mm: 200,
  height_mm: 70,
  side: "underside",
  items: [
    item("left-front", { x_mm: 20, y_mm: 10 }),
    item("v1", { thing: "tube", x_mm: 300, y_mm: 150, width_mm: 32, depth_mm: 32 }),
    item("below", { side: "underside", x_mm: 20, y_mm: 10 }),
    item("behind", { side: "rear", x_mm: 20, y_mm: 60 }),
  ],
};
const at = (posture: Posture, key: string, width = 360, height = 200) =>
  layOutChassis(SET, posture, width, height).items.find((p) => p.item.key === key);

describe("a chassis", () => {
  it("shows each thing of the side that is seen once, within its outline", () => {
    for (const posture of POSTURES)
      for (const [width, height] of [
        [350, 160],
        [820, 430],
        [200, 400],
      ] as const) {
        const drawn = layOutChassis(SET, posture, width, height);
        const side = sideSeen(posture, SET.side);
        const own = drawn.items.filter((p) => !p.through).map((p) => p.item.key);
        expect(own).toEqual(SET.items.filter((i) => i.side === side).map((i) => i.key));
        for (const p of drawn.items) {
          expect(p.x).toBeGreaterThanOrEqual(drawn.left);
          expect(p.x).toBeLessThanOrEqual(drawn.left + drawn.width);
          expect(p.y).toBeGreaterThanOrEqual(drawn.top);
          expect(p.y).toBeLessThanOrEqual(drawn.top + drawn.height);
        }
        expect(drawn.left).toBeGreaterThanOrEqual(0);
        expect(drawn.top).toBeGreaterThanOrEqual(0);
      }
  });

  it("has left and right as they are from above, and changed from below and behind", () => {
    const middle = 180;
    expect(at("upright", "left-front")?.x).toBeLessThan(middle);
    expect(at("upside down", "below")?.x).toBeGreaterThan(middle);
    expect(at("from behind", "behind")?.x).toBeGreaterThan(middle);
    // the front edge stays at the bottom when the set is rolled over
    expect(at("upright", "left-front")?.y).toBeGreaterThan(100);
    expect(at("upside down", "below")?.y).toBeGreaterThan(100);
  });

  it("shows from below where tubes go through, and stands on its left end", () => {
    expect(at("upside down", "v1")?.through).toBe(true);
    expect(at("upright", "v1")?.through).toBe(false);
    const drawn = layOutChassis(SET, "on its end", 360, 300);
    expect(drawn.height).toBeGreaterThan(drawn.width);
  });

  it("tells a place on the page as the place on the set, in every posture", () => {
    for (const posture of POSTURES) {
      const drawn = layOutChassis(SET, posture, 640, 380);
      for (const p of drawn.items) {
        const back = drawn.back(p.x, p.y);
        expect(back.x).toBeCloseTo(p.item.x_mm, 6);
        expect(back.y).toBeCloseTo(p.item.y_mm, 6);
      }
    }
  });
});
