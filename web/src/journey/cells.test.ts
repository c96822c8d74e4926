import { expect, test } from "vitest";

import { entered } from "./AskForm";

const further = (next: string) => ({ next, whole: false });
const whole = (next: string) => ({ next, whole: true });

test("a value and Enter goes to the next cell, until the row is whole", () => {
  expect(entered("226", 4)).toEqual(further("226 "));
  expect(entered("226 88", 4)).toEqual(further("226 88 "));
  expect(entered("226 88 2.6 0", 4)).toEqual(whole("226 88 2.6 0"));
});

test("Enter on an empty cell leaves it blank, the last one too", () => {
  expect(entered("226 ", 4)).toEqual(further("226 - "));
  expect(entered("226 - ", 4)).toEqual(further("226 - - "));
  expect(entered("226 - - ", 4)).toEqual(whole("226 - - -"));
});

test("a whole line, an empty one and a single value go as they are", () => {
  expect(entered("226 88 2.6", 3)).toEqual(whole("226 88 2.6"));
  expect(entered("", 3)).toEqual(whole(""));
  expect(entered("3.4", 1)).toEqual(whole("3.4"));
});

test("a sign of danger in the middle of a row goes at once", () => {
  expect(entered("smoke", 4)).toEqual(whole("smoke"));
  expect(entered("226 smoke", 4)).toEqual(whole("226 smoke"));
  expect(entered("226 88 it hums ", 4)).toEqual(whole("226 88 it hums "));
});
