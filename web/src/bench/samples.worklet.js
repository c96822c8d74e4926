/* Hands over what an input hears, in blocks of a fixed length: the page only sends it on. */
const BLOCK_S = 0.25;

class Samples extends AudioWorkletProcessor {
  constructor() {
    super();
    this.block = new Float32Array(Math.round(sampleRate * BLOCK_S));
    this.filled = 0;
  }

  process(inputs) {
    const heard = inputs[0]?.[0];
    if (!heard) return true;
    for (const sample of heard) {
      this.block[this.filled] = sample;
      this.filled += 1;
      if (this.filled === this.block.length) {
        this.port.postMessage(this.block.slice());
        this.filled = 0;
      }
    }
    return true;
  }
}

registerProcessor("samples", Samples);
