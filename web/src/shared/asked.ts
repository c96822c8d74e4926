const CONTROLS = "input, textarea, select, [role=radio], button";

/** The control that the step asks to be used now: where the focus belongs when nothing else has it. */
export function askedControl(): HTMLElement | null {
  const place = document.querySelector<HTMLElement>("[role=alert] [data-asked], main [data-asked]");
  if (!place || place.matches(CONTROLS)) return place;
  return place.querySelector<HTMLElement>(CONTROLS);
}

/** Moves the focus, unless a dialog stands over the page: what changes under it takes no key away. */
export function takeFocus(element: HTMLElement | null | undefined) {
  const dialog = document.querySelector("[role=dialog]");
  if (element && (!dialog || dialog.contains(element))) element.focus({ preventScroll: true });
}
