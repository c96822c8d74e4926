/** A WAV file of one channel of 16 bits, from its pieces. */
export function asWav(pieces: ArrayBuffer[], rateHz: number): Blob {
  const length = pieces.reduce((sum, piece) => sum + piece.byteLength, 0);
  const head = new DataView(new ArrayBuffer(44));
  const word = (at: number, text: string) =>
    [...text].forEach((letter, n) => head.setUint8(at + n, letter.charCodeAt(0)));
  word(0, "RIFF");
  head.setUint32(4, 36 + length, true);
  word(8, "WAVEfmt ");
  head.setUint32(16, 16, true);
  head.setUint16(20, 1, true);
  head.setUint16(22, 1, true);
  head.setUint32(24, rateHz, true);
  head.setUint32(28, 2 * rateHz, true);
  head.setUint16(32, 2, true);
  head.setUint16(34, 16, true);
  word(36, "data");
  head.setUint32(40, length, true);
  return new Blob([head.buffer, ...pieces], { type: "audio/wav" });
}
