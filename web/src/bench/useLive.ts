import { useEffect, useState } from "react";

import type { Live } from "../api/client";

const KEPT_MS = 20_000;

export type Sample = { at: number; value: number; taken?: number };
export type Guard = { what: string; low: string; high: string };

/** Live readings pushed by the server while `on`; the peak is held since it was switched on. */
export function useLive(jobId: number, on: boolean, guard: Guard | null) {
  const [live, setLive] = useState<Live | null>(null);
  const [history, setHistory] = useState<Sample[]>([]);
  const [trouble, setTrouble] = useState<Error | null>(null);
  const { what = "", low = "", high = "" } = guard ?? {};
  useEffect(() => {
    if (!on) return undefined;
    const watched = new URLSearchParams({ guard: what, low, high });
    const source = new EventSource(`/api/jobs/${jobId}/bench/live?${watched}`);
    source.addEventListener("value", (event) => {
      setTrouble(null);
      const seen = JSON.parse(event.data) as Live;
      setLive(seen);
      setHistory((before) => grown(before, seen.value, performance.now()));
    });
    source.addEventListener("trouble", (event) => {
      source.close();
      setTrouble(new Error((JSON.parse(event.data) as { detail: string }).detail));
    });
    return () => {
      source.close();
      setLive(null);
      setHistory([]);
      setTrouble(null);
    };
  }, [jobId, on, what, low, high]);
  return { live, history, trouble };
}

/** The readings of the last seconds with the newest, each with its time before now. */
function grown(before: Sample[], value: number, now: number): Sample[] {
  const kept = before.filter((p) => now - (p.taken ?? now) < KEPT_MS);
  return [...kept, { at: 0, value, taken: now }].map((p) => ({ ...p, at: (p.taken ?? now) - now }));
}
