import { useEffect, useState, useSyncExternalStore } from "react";

import type { Live } from "../api/client";

const KEPT_MS = 20_000;

/** A reading with the page's own time of it, in milliseconds. */
export type Taken = { at: number; value: number };
export type Guard = { what: string; low: string; high: string };
type Watched = { live: Live | null; history: Taken[]; trouble: Error | null };

const NOTHING: Watched = { live: null, history: [], trouble: null };

/**
 * What is pushed live, kept beside the page's own state: twenty times a second only what shows it is
 * drawn anew, and not the whole page.
 */
export class LiveStore {
  private state = NOTHING;
  private readonly listeners = new Set<() => void>();

  readonly get = () => this.state;

  readonly subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  set(next: Partial<Watched>) {
    this.state = { ...this.state, ...next };
    for (const listener of this.listeners) listener();
  }

  clear() {
    this.set(NOTHING);
  }
}

/** Everything that is watched now, anew with each reading. */
export const useWatched = (store: LiveStore) => useSyncExternalStore(store.subscribe, store.get);

/** One thing of what is watched: anew only when it changes. */
export const useOfWatched = <T>(store: LiveStore, of: (watched: Watched) => T) =>
  useSyncExternalStore(store.subscribe, () => of(store.get()));

/** Live readings pushed by the server while `on`; the peak is held since it was switched on. */
export function useLive(jobId: number, on: boolean, guard: Guard | null): LiveStore {
  const [store] = useState(() => new LiveStore());
  const { what = "", low = "", high = "" } = guard ?? {};
  useEffect(() => {
    if (!on) return undefined;
    const watched = new URLSearchParams({ guard: what, low, high });
    const source = new EventSource(`/api/jobs/${jobId}/bench/live?${watched}`);
    source.addEventListener("value", (event) => {
      const seen = JSON.parse(event.data) as Live;
      const newest = { at: performance.now(), value: seen.value };
      store.set({ live: seen, trouble: null, history: grown(store.get().history, newest) });
    });
    source.addEventListener("trouble", (event) => {
      source.close();
      const { detail } = JSON.parse(event.data) as { detail: string };
      store.set({ trouble: new Error(detail) });
    });
    return () => {
      source.close();
      store.clear();
    };
  }, [store, jobId, on, what, low, high]);
  return store;
}

/** The readings of the last seconds, with the newest. */
const grown = (before: Taken[], newest: Taken): Taken[] => [
  ...before.filter((p) => newest.at - p.at < KEPT_MS),
  newest,
];
