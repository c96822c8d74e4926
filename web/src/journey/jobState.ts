import type { Schemas } from "../api/client";

type Written = Schemas["Written"];
export type Taken = { line: string; remarks: string[]; question: string; append: boolean };
export type Dialog = "close" | "park" | "keys" | "reopen" | "who" | "wrong";

/** What the job page holds beside what the server says. */
export type JobState = {
  /** A reading from the bench that waits in the input of its question. */
  taken: Taken | null;
  kept: Written | null;
  /** What was typed, and could not be kept because the question had moved on. */
  lost: { error: unknown; typed: string } | null;
  /** Another of the step's questions than its first. */
  picked: { step: string; ask: string; series: boolean };
  dialog: Dialog | null;
  log: boolean;
  bench: { busy: boolean; trouble: unknown; stopped: string };
};

export const AT_REST: JobState = {
  taken: null,
  kept: null,
  lost: null,
  picked: { step: "", ask: "", series: false },
  dialog: null,
  log: false,
  bench: { busy: false, trouble: null, stopped: "" },
};

export type JobEvent =
  | { type: "gone to another step" }
  | { type: "picked"; step: string; ask: string; series: boolean }
  | { type: "kept"; written: Written; taken: Taken | null; ask: string }
  | { type: "lost"; error: unknown; typed: string }
  | { type: "taken"; taken: Taken }
  | { type: "bench begins" }
  | { type: "bench ends"; trouble: unknown }
  | { type: "stopped"; words: string }
  | { type: "dialog"; dialog: Dialog | null }
  | { type: "log toggled" };

/** The one place where the page's own state changes. */
export function jobState(state: JobState, event: JobEvent): JobState {
  switch (event.type) {
    case "gone to another step":
      return { ...state, kept: null, lost: null, bench: { ...state.bench, trouble: null } };
    case "picked":
      return { ...state, picked: { step: event.step, ask: event.ask, series: event.series } };
    case "kept":
      return {
        ...state,
        // the next question may have its reading already, even one of the same name
        taken: state.taken === event.taken ? null : state.taken,
        // of a series the next is asked for
        picked:
          state.picked.ask === event.ask && !state.picked.series ? AT_REST.picked : state.picked,
        kept: event.written,
        lost: null,
        bench: { ...state.bench, trouble: null },
      };
    case "lost":
      return { ...state, kept: null, lost: { error: event.error, typed: event.typed } };
    case "taken":
      return { ...state, taken: event.taken };
    case "bench begins":
      return { ...state, bench: { ...state.bench, busy: true, trouble: null } };
    case "bench ends":
      return { ...state, bench: { ...state.bench, busy: false, trouble: event.trouble } };
    case "stopped":
      return { ...state, bench: { ...state.bench, stopped: event.words } };
    case "dialog":
      return { ...state, dialog: event.dialog };
    case "log toggled":
      return { ...state, log: !state.log };
  }
}
