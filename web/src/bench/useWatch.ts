import { useState } from "react";

import { type Guard, useLive } from "./useLive";

/** What is watched at this bench: what the step peaks by, its tone, and the guard reading with its alarm. */
export function useWatch(jobId: number) {
  const [on, setOn] = useState(false);
  const [tone, setTone] = useState(false);
  const [guard, setGuard] = useState<Guard | null>(null);
  const store = useLive(jobId, on, guard);
  return {
    on,
    tone,
    guard,
    store,
    toggle: () => setOn(!on),
    toggleTone: () => {
      setTone(!tone);
      if (!tone) setOn(true);
    },
    watchOver: (wanted: Guard | null) => {
      setGuard(wanted);
      if (wanted) setOn(true);
    },
  };
}

export type Watch = ReturnType<typeof useWatch>;
