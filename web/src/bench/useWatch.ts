import { useState } from "react";

import { type Guard, useLive } from "./useLive";
import { useTone } from "./useTone";

/** What is watched at this bench: the AVC value, its tone, and the guard reading with its alarm. */
export function useWatch(jobId: number) {
  const [on, setOn] = useState(false);
  const [tone, setTone] = useState(false);
  const [guard, setGuard] = useState<Guard | null>(null);
  const { live, history, trouble } = useLive(jobId, on, guard);
  useTone(on && (tone || Boolean(live?.must_sound)), live?.tone_hz ?? 0);
  return {
    on,
    tone,
    guard,
    live: on ? live : null,
    history: on ? history : [],
    trouble: on ? trouble : null,
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
