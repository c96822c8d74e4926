import { useEffect, useRef, useState } from "react";

import { client, type Schemas, unwrap } from "../api/client";

export type Heard = Schemas["HeardAnswer"];
type Input = { id: string; name: string };

/** Takes all samples as they come, with their rate. */
export type Keep = (samples: Float32Array, rateHz: number) => void;

const FULL_SCALE = 32767;

/** Samples of 16 bits, little-endian. */
export function inSixteenBits(samples: Float32Array): ArrayBuffer {
  const whole = new DataView(new ArrayBuffer(2 * samples.length));
  samples.forEach((sample, n) => {
    const kept = Math.max(-1, Math.min(1, sample));
    whole.setInt16(2 * n, Math.round(kept * FULL_SCALE), true);
  });
  return whole.buffer;
}

/** The same in base64, as the call wants them. */
export function asPcm(samples: Float32Array): string {
  let text = "";
  new Uint8Array(inSixteenBits(samples)).forEach((byte) => (text += String.fromCharCode(byte)));
  return btoa(text);
}

/**
 * What the computer's microphone or line input hears while `on`, found out by the server a quarter of
 * a second at a time. Nothing that a browser does to please the ear is left on: it would level peaks.
 */
export function useMicrophone(on: boolean, input: string, keep?: Keep) {
  const [heard, setHeard] = useState<Heard | null>(null);
  const [highest, setHighest] = useState<Heard | null>(null);
  const [trouble, setTrouble] = useState<unknown>(null);
  const [inputs, setInputs] = useState<Input[]>([]);
  const asking = useRef(false);
  const keeping = useRef(keep);
  useEffect(() => {
    keeping.current = keep;
  }, [keep]);
  useEffect(() => {
    if (!on) return undefined;
    let current = true;
    let stream: MediaStream | null = null;
    const context = new AudioContext();
    const send = async (samples: Float32Array) => {
      // one at a time: what comes meanwhile is passed over
      if (asking.current || !current) return;
      asking.current = true;
      try {
        const body = { rate_hz: context.sampleRate, pcm: asPcm(samples) };
        const answer = await unwrap(client.POST("/api/calc/tone", { body }));
        if (!current) return;
        setHeard(answer);
        setTrouble(null);
        if (answer.heard && !answer.clipped) {
          setHighest((held) => (held && held.level >= answer.level ? held : answer));
        }
      } catch (error) {
        if (current) setTrouble(error);
      } finally {
        asking.current = false;
      }
    };
    const begin = async () => {
      try {
        stream = await navigator.mediaDevices.getUserMedia({
          audio: {
            echoCancellation: false,
            noiseSuppression: false,
            autoGainControl: false,
            ...(input ? { deviceId: { exact: input } } : {}),
          },
        });
        const devices = await navigator.mediaDevices.enumerateDevices();
        await context.audioWorklet.addModule(new URL("./samples.worklet.js", import.meta.url));
        if (!current) return;
        setInputs(
          devices
            .filter((d) => d.kind === "audioinput" && d.deviceId !== "")
            .map((d) => ({ id: d.deviceId, name: d.label || "input" })),
        );
        const node = new AudioWorkletNode(context, "samples", { numberOfOutputs: 0 });
        node.port.onmessage = (event: MessageEvent<Float32Array>) => {
          if (current) keeping.current?.(event.data, context.sampleRate);
          void send(event.data);
        };
        context.createMediaStreamSource(stream).connect(node);
        await context.resume();
      } catch (error) {
        if (current) setTrouble(error);
      }
    };
    void begin();
    return () => {
      current = false;
      stream?.getTracks().forEach((track) => track.stop());
      void context.close();
      setHeard(null);
      setHighest(null);
    };
  }, [on, input]);
  return { heard, highest, forget: () => setHighest(null), trouble, inputs };
}
