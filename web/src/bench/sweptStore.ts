import { useState, useSyncExternalStore } from "react";

import type { PlotData } from "../api/client";

/** The curve that turns at this moment: who draws it listens here, and nothing else is drawn anew. */
export class SweptStore {
  private plot: PlotData | null = null;
  private readonly listeners = new Set<() => void>();

  readonly get = () => this.plot;

  readonly set = (plot: PlotData | null) => {
    this.plot = plot;
    this.listeners.forEach((listener) => listener());
  };

  readonly subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => void this.listeners.delete(listener);
  };
}

export function useSweptStore() {
  const [store] = useState(() => new SweptStore());
  return store;
}

/** The curve as it turns; null while none does. */
export const useSwept = (store: SweptStore) => useSyncExternalStore(store.subscribe, store.get);
