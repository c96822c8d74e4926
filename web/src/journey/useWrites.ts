import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef } from "react";

import { client, once, ProblemError, type Schemas, unwrap } from "../api/client";

type Answer = Omit<Schemas["AnswerRequest"], "version">;
type Reply<T> = Promise<{ data?: T; error?: unknown }>;
type Headers = ReturnType<typeof once>;
type Versioned = { version: number };

/**
 * The writes of one job. Each carries the version that the page knows: what it read last, or what
 * its own last write was answered with, whichever is newer. The same write sent again, as after a lost connection, carries the same
 * key, so it cannot be kept twice; after every write, and after a conflict, the job is read anew.
 */
export function useWrites(jobId: number, version: number) {
  const queries = useQueryClient();
  const pending = useRef<{ print: string; key: string } | null>(null);
  const known = useRef(version);
  useEffect(() => {
    known.current = Math.max(known.current, version);
  }, [version]);

  const send = useCallback(
    async <T extends Versioned>(
      print: string,
      call: (headers: Headers, version: number) => Reply<T>,
    ): Promise<T> => {
      const whole = `${known.current} ${print}`;
      if (pending.current?.print !== whole) {
        pending.current = { print: whole, key: crypto.randomUUID() };
      }
      try {
        const answer = await unwrap(call(once(pending.current.key), known.current));
        pending.current = null;
        known.current = answer.version;
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

  return useMemo(() => {
    const params = { path: { job_id: jobId } };
    const record = (id: number) => ({ path: { job_id: jobId, record_id: id } });
    const print = (...parts: unknown[]) => JSON.stringify(parts);
    return {
      answer: (body: Answer) =>
        send(print("answer", body), (headers, version) =>
          client.POST("/api/jobs/{job_id}/answers", {
            params,
            headers,
            body: { ...body, version },
          }),
        ),
      acknowledge: (step: string, danger: string) =>
        send(print("acknowledge", step, danger), (headers, version) =>
          client.POST("/api/jobs/{job_id}/acknowledgements", {
            params,
            headers,
            body: { version, step, danger },
          }),
        ),
      close: (step: string, reason: string, decided_by: string) =>
        send(print("close", step, reason, decided_by), (headers, version) =>
          client.POST("/api/jobs/{job_id}/closures", {
            params,
            headers,
            body: { version, step, reason, decided_by },
          }),
        ),
      clip: (what: string, place: string, wanted_under_power: boolean) =>
        send(print("clip", what, place, wanted_under_power), (headers, version) =>
          client.POST("/api/jobs/{job_id}/temporary-connections", {
            params,
            headers,
            body: { version, what, place, wanted_under_power },
          }),
        ),
      unclip: (id: number) =>
        send(print("unclip", id), (headers, version) =>
          client.POST("/api/jobs/{job_id}/temporary-connections/{record_id}/removal", {
            params: record(id),
            headers,
            body: { version },
          }),
        ),
      restore: (id: number) =>
        send(print("restore", id), (headers, version) =>
          client.POST("/api/jobs/{job_id}/switched-off/{record_id}/restoration", {
            params: record(id),
            headers,
            body: { version },
          }),
        ),
      change: (what: string, note: string) =>
        send(print("change", what, note), (headers, version) =>
          client.POST("/api/jobs/{job_id}/changes", {
            params,
            headers,
            body: { version, what, note },
          }),
        ),
      move: (adjuster: string, turns: string, step: string) =>
        send(print("move", adjuster, turns, step), (headers, version) =>
          client.POST("/api/jobs/{job_id}/moves", {
            params,
            headers,
            body: { version, adjuster, turns, step },
          }),
        ),
      note: (step: string, text: string) =>
        send(print("note", step, text), (headers, version) =>
          client.POST("/api/jobs/{job_id}/notes", {
            params,
            headers,
            body: { version, step, text },
          }),
        ),
      withdraw: (seq: number) =>
        send(print("withdraw", seq), (headers, version) =>
          client.POST("/api/jobs/{job_id}/withdrawals", {
            params,
            headers,
            body: { version, seq },
          }),
        ),
      enterLine: (register: string, key: string, step: string, fields: Record<string, string>) =>
        send(print("line", register, key, fields), (headers, version) =>
          client.POST("/api/jobs/{job_id}/registers/{register}", {
            params: { path: { job_id: jobId, register } },
            headers,
            body: { version, line: key, step, fields },
          }),
        ),
      removeLine: (register: string, line: string) =>
        send(print("remove-line", register, line), (headers, version) =>
          client.POST("/api/jobs/{job_id}/registers/{register}/{line}/removal", {
            params: { path: { job_id: jobId, register, line } },
            headers,
            body: { version },
          }),
        ),
      addPhoto: (file: File, title: string, step: string) =>
        send(print("photo", file.name, file.size, title), (headers, version) =>
          client.POST("/api/jobs/{job_id}/photos", {
            params: { path: { job_id: jobId }, query: { version, title, step } },
            headers: { ...headers, "content-type": file.type },
            body: "",
            bodySerializer: () => file,
          }),
        ),
      fillCells: (cells: Schemas["CellRequest"][]) =>
        send(print("cells", cells), (headers, version) =>
          client.POST("/api/jobs/{job_id}/matrix", {
            params,
            headers,
            body: { version, cells },
          }),
        ),
      measure: (step: string, ask: string) =>
        send(print("measure", step, ask), (headers, version) =>
          client.POST("/api/jobs/{job_id}/bench/measurements", {
            params,
            headers,
            body: { version, step, ask },
          }),
        ),
      turn: (step: string, turns: number) =>
        send(print("turn", step, turns), (headers, version) =>
          client.POST("/api/jobs/{job_id}/bench/turns", {
            params,
            headers,
            body: { version, step, turns },
          }),
        ),
    };
  }, [jobId, send]);
}

export type Writes = ReturnType<typeof useWrites>;
