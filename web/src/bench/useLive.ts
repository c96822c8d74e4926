import { useEffect, useState } from "react";

export type Live = { text: string; held: number; words: string };

/** Live readings pushed by the server while `on`; the peak is held since it was switched on. */
export function useLive(jobId: number, on: boolean) {
  const [live, setLive] = useState<Live | null>(null);
  const [trouble, setTrouble] = useState<Error | null>(null);
  useEffect(() => {
    if (!on) return undefined;
    const source = new EventSource(`/api/jobs/${jobId}/bench/live`);
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
  }, [jobId, on]);
  return { live, trouble };
}
