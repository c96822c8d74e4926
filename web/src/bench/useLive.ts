import { useEffect, useState } from "react";

import type { Live } from "../api/client";

const KEPT_MS = 20_000;

/** A reading with the page's own time of it, in milliseconds. */
export type Taken = { at: number; value: number };
export type Guard = { what: string; low: string; high: string };

/** Live readings pushed by the server while `on`; the peak is held since it was switched on. */
export function useLive(jobId: number, on: boolean, guard: Guard | null) {
  const [live, setLive] = useState<Live | null>(null);
  const [history, setHistory] = useState<Taken[]>([]);
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
      setHistory((before) => grown(before, { at: performance.now(), value: seen.value }));
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

/** The readings of the last seconds, with the newest. */
const grown = (before: Taken[], newest: Taken): Taken[] => [
  ...before.filter((p) => newest.at - p.at < KEPT_MS),
  newest,
];
