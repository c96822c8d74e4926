import { expect, test } from "vitest";

import { nextCell } from "./AskForm";

test("a value and Enter goes to the next cell, until the row is whole", () => {
  expect(nextCell("226", 4)).toBe("226 ");
  expect(nextCell("226 88", 4)).toBe("226 88 ");
  expect(nextCell("226 88 2.6 0", 4)).toBeNull();
});

test("Enter on an empty cell leaves it blank", () => {
  expect(nextCell("226 ", 4)).toBe("226 - ");
  expect(nextCell("226 - ", 4)).toBe("226 - - ");
});

test("a whole line, an empty one and a single value go as they are", () => {
  expect(nextCell("226 88 2.6", 3)).toBeNull();
  expect(nextCell("", 3)).toBeNull();
  expect(nextCell("3.4", 1)).toBeNull();
});
