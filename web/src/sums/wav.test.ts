import { describe, expect, it } from "vitest";

import { inSixteenBits } from "../bench/useMicrophone";
import { asWav } from "./wav";

describe("a recording made in the page", () => {
  it("is a WAV whose header tells its length and rate, samples clipped at full scale", async () => {
    const pieces = [
      inSixteenBits(new Float32Array([0, 0.5, -2])),
      inSixteenBits(new Float32Array([1])),
    ];
    const bytes = new DataView(await asWav(pieces, 44100).arrayBuffer());
    const word = (at: number) =>
      String.fromCharCode(...[0, 1, 2, 3].map((n) => bytes.getUint8(at + n)));
    expect([word(0), word(8), word(12), word(36)]).toEqual(["RIFF", "WAVE", "fmt ", "data"]);
    expect(bytes.byteLength).toBe(44 + 8);
    expect(bytes.getUint32(4, true)).toBe(bytes.byteLength - 8);
    expect(bytes.getUint32(40, true)).toBe(8);
    expect([bytes.getUint32(24, true), bytes.getUint32(28, true)]).toEqual([44100, 88200]);
    const samples = [0, 1, 2, 3].map((n) => bytes.getInt16(44 + 2 * n, true));
    expect(samples).toEqual([0, 16384, -32767, 32767]);
  });
});
