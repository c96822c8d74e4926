import { useEffect, useRef } from "react";

const LOUDNESS = 0.08;
const GLIDE_S = 0.05;

/** A quiet tone of `hz` while `on`; it glides, so that a hand hears where the value goes. */
export function useTone(on: boolean, hz: number) {
  const voice = useRef<OscillatorNode | null>(null);
  useEffect(() => {
    if (!on) return undefined;
    const context = new AudioContext();
    const gain = context.createGain();
    gain.gain.value = LOUDNESS;
    const oscillator = context.createOscillator();
    oscillator.connect(gain).connect(context.destination);
    oscillator.start();
    voice.current = oscillator;
    return () => {
      voice.current = null;
      void context.close();
    };
  }, [on]);
  useEffect(() => {
    const sounding = voice.current;
    if (sounding && hz > 0) {
      sounding.frequency.setTargetAtTime(hz, sounding.context.currentTime, GLIDE_S);
    }
  }, [on, hz]);
}
