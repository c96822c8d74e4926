import { afterEach, expect, test } from "vitest";

import { askedControl, takeFocus } from "./asked";

const PAGE = `<main><form data-asked><input id="line"></form></main>`;
const DIALOG = `<div role="dialog"><input id="reason"></div>`;

const byId = (id: string) => document.getElementById(id);

afterEach(() => {
  document.body.innerHTML = "";
});

test("what is asked takes the focus", () => {
  document.body.innerHTML = PAGE;
  takeFocus(askedControl());
  expect(document.activeElement).toBe(byId("line"));
});

test("a question that changes under a dialog leaves the keys to the dialog", () => {
  document.body.innerHTML = PAGE + DIALOG;
  takeFocus(byId("reason"));
  takeFocus(askedControl());
  expect(document.activeElement).toBe(byId("reason"));
});

test("nothing to focus is no trouble", () => {
  expect(() => takeFocus(null)).not.toThrow();
  expect(askedControl()).toBeNull();
});
