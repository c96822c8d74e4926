import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef } from "react";

import { client, once, ProblemError, type Schemas, unwrap } from "../api/client";
import type { paths } from "../api/schema";

type Post<P extends keyof paths> = paths[P]["post"];
type Json<T> = T extends { content: { "application/json": infer B } } ? B : never;
type BodyOf<P extends keyof paths> =
  Post<P> extends { requestBody: infer R } ? Json<NonNullable<R>> : never;
type AnswerOf<P extends keyof paths> =
  Post<P> extends { responses: { 201: infer R } } ? Json<R> : never;
type PathOf<P extends keyof paths> =
  Post<P> extends { parameters: { path: infer Q } } ? Omit<Q, "job_id"> : never;

/** Calls that write into a job: they carry the version that the page knows. */
export type JobWrite = {
  [P in keyof paths]: P extends `/api/jobs/{job_id}/${string}`
    ? BodyOf<P> extends { version: number }
      ? P
      : never
    : never;
}[keyof paths];

type Rest<P extends JobWrite> = keyof PathOf<P> extends never
  ? [body: Omit<BodyOf<P>, "version">]
  : [body: Omit<BodyOf<P>, "version">, path: PathOf<P>];

/** One write into the job, typed from the interface's own description. */
export type Write = <P extends JobWrite>(call: P, ...rest: Rest<P>) => Promise<AnswerOf<P>>;
/** A photo goes as it is, in a body of its own. */
export type SendPhoto = (file: File, title: string, step: string) => Promise<Schemas["Written"]>;
export type Writing = { write: Write; sendPhoto: SendPhoto };

type Headers = ReturnType<typeof once>;
type Versioned = { version: number };
type Reply = Promise<{ data?: unknown; error?: unknown }>;
type AnyPost = (path: string, init: object) => Reply;

/**
 * Writing into one job. Each write carries the version that the page knows: what it read last, or
 * what its own last write was answered with, whichever is newer. The same write sent again, as after
 * a lost connection, carries the same key, so it cannot be kept twice; after every write, and after
 * a conflict, the job is read anew.
 */
export function useWrite(jobId: number, version: number): Writing {
  const queries = useQueryClient();
  // what was not answered yet keeps its key: the write in its turn, and an alarm beside it
  const keys = useRef(new Map<string, string>());
  const known = useRef(version);
  useEffect(() => {
    known.current = Math.max(known.current, version);
  }, [version]);

  // one after the other: each carries the version that the one before it was answered with
  const last = useRef<Promise<unknown>>(Promise.resolve());

  const sendNow = useCallback(
    async (print: string, call: (headers: Headers, version: number) => Reply) => {
      const whole = `${known.current} ${print}`;
      const key = keys.current.get(whole) ?? crypto.randomUUID();
      keys.current.set(whole, key);
      try {
        const made = call(once(key), known.current);
        const answer = (await unwrap(made)) as Versioned;
        keys.current.delete(whole);
        known.current = Math.max(known.current, answer.version);
        await queries.invalidateQueries();
        return answer;
      } catch (error) {
        if (error instanceof ProblemError && error.problem.status === 409) {
          await queries.invalidateQueries();
        }
        throw error;
      }
    },
    [queries],
  );

  const send = useCallback(
    (print: string, call: (headers: Headers, version: number) => Reply, atOnce = false) => {
      if (atOnce) return sendNow(print, call);
      const turn = last.current.then(
        () => sendNow(print, call),
        () => sendNow(print, call),
      );
      last.current = turn;
      return turn;
    },
    [sendNow],
  );

  return useMemo(() => {
    // the client's own types cannot follow a path that is not a literal: they are checked above
    const post = client.POST as unknown as AnyPost;
    const write = (call: string, body: object, path: object = {}) =>
      send(
        JSON.stringify([call, path, body]),
        (headers, known_version) =>
          post(call, {
            params: { path: { job_id: jobId, ...path } },
            headers,
            body: { ...body, version: known_version },
          }),
        // danger waits for nothing
        call.startsWith("/api/jobs/{job_id}/alarms"),
      );
    const sendPhoto: SendPhoto = async (file, title, step) =>
      (await send(
        JSON.stringify(["photo", file.name, file.size, title]),
        (headers, known_version) =>
          client.POST("/api/jobs/{job_id}/photos", {
            params: { path: { job_id: jobId }, query: { version: known_version, title, step } },
            headers: { ...headers, "content-type": file.type },
            body: "",
            bodySerializer: () => file,
          }),
      )) as Schemas["Written"];
    return { write: write as unknown as Write, sendPhoto };
  }, [jobId, send]);
}
