import { useRef, useState } from "react";

/**
 * One write of a page at a time: busy while it runs, its trouble kept until the next try. The same
 * write tried again carries the same key, so that it cannot be kept twice.
 */
export function useAttempt() {
  const pending = useRef<{ print: string; key: string } | null>(null);
  const working = useRef(false);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<unknown>(null);
  const attempt = async (what: unknown, work: (key: string) => Promise<void>) => {
    if (working.current) return;
    const print = JSON.stringify(what);
    if (pending.current?.print !== print) pending.current = { print, key: crypto.randomUUID() };
    working.current = true;
    setBusy(true);
    setTrouble(null);
    try {
      await work(pending.current.key);
      pending.current = null;
    } catch (error) {
      setTrouble(error);
    } finally {
      working.current = false;
      setBusy(false);
    }
  };
  return { busy, trouble, attempt };
}
