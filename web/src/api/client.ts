import createClient from "openapi-fetch";

import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Job = Schemas["JobShape"];
export type Step = Schemas["StepShape"];
export type Ask = Schemas["AskShape"];
export type Result = Schemas["ResultShape"];
export type PlotData = Schemas["PlotShape"];
export type Bench = Schemas["BenchShape"];
export type Problem = Schemas["Problem"];
export type StageState = Schemas["StageShape"];
export type Live = Schemas["LiveShape"];
export type Options = Schemas["OptionsShape"];

/** An answer that is not a success, in the words of the server. */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

export const client = createClient<paths>();

/** A recording sent as it is. */
export const asRecording = (file: File) => ({
  body: "" as never,
  bodySerializer: () => file,
  headers: { "content-type": "audio/wav" },
});

const WHO = "glowdial.who";

/** Who is at the bench, as it was said here. */
export const who = () => localStorage.getItem(WHO) ?? "";
export const setWho = (name: string) => localStorage.setItem(WHO, name.trim());

// headers carry plain letters only
client.use({
  onRequest({ request }) {
    const name = who().replace(/[^\x20-\x7e]/g, "?");
    if (name && request.method !== "GET") request.headers.set("Bench-Hand", name);
  },
});

const OFFLINE: Problem = {
  type: "offline",
  title: "The server does not answer",
  status: 0,
  detail: "The server does not answer; nothing was lost. Start it again, then press Enter again.",
};

/** The data of an answer, or a ProblemError. */
export async function unwrap<T>(call: Promise<{ data?: T; error?: unknown }>): Promise<T> {
  const { data, error } = await call.catch(() => {
    throw new ProblemError(OFFLINE);
  });
  if (error !== undefined || data === undefined) throw new ProblemError(asProblem(error));
  return data;
}

function asProblem(error: unknown): Problem {
  if (typeof error === "object" && error !== null && "detail" in error) return error as Problem;
  return { ...OFFLINE, type: "error", title: "Error", detail: "The server could not answer this." };
}

/** Header of a write: a key of its own, so that a retry cannot double it. */
export function once(key: string) {
  return { "Idempotency-Key": key };
}
