/** A line of text with the ground that it takes; `align` tells which side its x is. */
export type Words = {
  key: string;
  text: string;
  x: number;
  y: number;
  size: number;
  align: "start" | "middle" | "end";
  tone: "ink" | "dim" | "glow" | "verdict" | "suspect";
  mono?: boolean;
  verdict?: string;
};

export const SMALL = 13;
/** How wide a letter is at most, as a share of its size: generous, so that nothing overlaps. */
export const LETTER = 0.56;
const MONO_LETTER = 0.62;

/** The ground that a line of text takes. */
export function groundOf(w: Words) {
  const width = w.text.length * w.size * (w.mono ? MONO_LETTER : LETTER);
  const left = w.align === "start" ? w.x : w.align === "end" ? w.x - width : w.x - width / 2;
  return { left, right: left + width, top: w.y - w.size * 0.8, bottom: w.y + w.size * 0.25 };
}

/** A text in lines of at most that many letters, broken between words. */
export function inLines(text: string, most: number): string[] {
  const found: string[] = [];
  for (const word of text.split(" ").filter(Boolean)) {
    const last = found.at(-1);
    if (last !== undefined && last.length + word.length < most) {
      found[found.length - 1] = `${last} ${word}`;
    } else found.push(word);
  }
  return found;
}
