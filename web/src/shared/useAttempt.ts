import { useState } from "react";

/** One write of a page at a time: busy while it runs, its trouble kept until the next try. */
export function useAttempt() {
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<unknown>(null);
  const attempt = async (work: () => Promise<void>) => {
    if (busy) return;
    setBusy(true);
    setTrouble(null);
    try {
      await work();
    } catch (error) {
      setTrouble(error);
    } finally {
      setBusy(false);
    }
  };
  return { busy, trouble, setTrouble, attempt };
}
