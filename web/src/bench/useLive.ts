import { useEffect, useState } from "react";

import type { Live } from "../api/client";

export type Guard = { what: string; low: string; high: string };

/** Live readings pushed by the server while `on`; the peak is held since it was switched on. */
export function useLive(jobId: number, on: boolean, guard: Guard | null) {
  const [live, setLive] = useState<Live | null>(null);
  const [trouble, setTrouble] = useState<Error | null>(null);
  const { what = "", low = "", high = "" } = guard ?? {};
  useEffect(() => {
    if (!on) return undefined;
    const watched = new URLSearchParams({ guard: what, low, high });
    const source = new EventSource(`/api/jobs/${jobId}/bench/live?${watched}`);
    source.addEventListener("value", (event) => {
      setTrouble(null);
      setLive(JSON.parse(event.data) as Live);
    });
    source.addEventListener("trouble", (event) => {
      source.close();
      setTrouble(new Error((JSON.parse(event.data) as { detail: string }).detail));
    });
    return () => {
      source.close();
      setLive(null);
      setTrouble(null);
    };
  }, [jobId, on, what, low, high]);
  return { live, trouble };
}
