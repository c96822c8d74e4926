import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";

import { client, unwrap } from "./client";

export const shelfQuery = infiniteQueryOptions({
  queryKey: ["shelf"],
  initialPageParam: null as number | null,
  queryFn: ({ pageParam }) =>
    unwrap(
      client.GET("/api/jobs", {
        params: { query: { limit: 30, ...(pageParam ? { cursor: pageParam } : {}) } },
      }),
    ),
  getNextPageParam: (page) => page.cursor,
});

/** What may be chosen: it does not change while the server runs. */
export const optionsQuery = queryOptions({
  queryKey: ["options"],
  staleTime: Infinity,
  queryFn: () => unwrap(client.GET("/api/options")),
});

export const sheetsQuery = queryOptions({
  queryKey: ["sheets"],
  queryFn: () => unwrap(client.GET("/api/sheets")),
});

export const instrumentsQuery = queryOptions({
  queryKey: ["instruments"],
  queryFn: () => unwrap(client.GET("/api/instruments")),
});

export const jobQuery = (jobId: number, step: string | null) =>
  queryOptions({
    queryKey: ["job", jobId, step],
    queryFn: () =>
      unwrap(
        client.GET("/api/jobs/{job_id}", {
          params: { path: { job_id: jobId }, query: step ? { step } : {} },
        }),
      ),
    placeholderData: (before) => before,
  });

export const questionQuery = (jobId: number, step: string, ask: string) =>
  queryOptions({
    queryKey: ["question", jobId, step, ask],
    queryFn: () =>
      unwrap(
        client.GET("/api/jobs/{job_id}/questions", {
          params: { path: { job_id: jobId }, query: { step, ask } },
        }),
      ),
  });

export const benchQuery = (jobId: number) =>
  queryOptions({
    queryKey: ["bench", jobId],
    queryFn: () =>
      unwrap(client.GET("/api/jobs/{job_id}/bench", { params: { path: { job_id: jobId } } })),
  });

export const reportQuery = (jobId: number) =>
  queryOptions({
    queryKey: ["report", jobId],
    queryFn: () =>
      unwrap(client.GET("/api/jobs/{job_id}/report", { params: { path: { job_id: jobId } } })),
  });

const ofJob = (jobId: number) => ({ params: { path: { job_id: jobId } } });

export const registersQuery = (jobId: number) =>
  queryOptions({
    queryKey: ["registers", jobId],
    queryFn: () => unwrap(client.GET("/api/jobs/{job_id}/registers", ofJob(jobId))),
  });

export const chassisQuery = (jobId: number) =>
  queryOptions({
    queryKey: ["chassis", jobId],
    queryFn: () => unwrap(client.GET("/api/jobs/{job_id}/chassis", ofJob(jobId))),
  });

export const stageQuery = (jobId: number, stage: string) =>
  queryOptions({
    queryKey: ["job", jobId, "stage", stage],
    queryFn: () =>
      unwrap(
        client.GET("/api/jobs/{job_id}/stages/{stage}", {
          params: { path: { job_id: jobId, stage } },
        }),
      ),
  });

export const matrixQuery = (jobId: number) =>
  queryOptions({
    queryKey: ["matrix", jobId],
    queryFn: () => unwrap(client.GET("/api/jobs/{job_id}/matrix", ofJob(jobId))),
  });

export const proposalsQuery = (jobId: number, ref: string) =>
  queryOptions({
    queryKey: ["proposals", jobId, ref],
    queryFn: () =>
      unwrap(
        client.GET("/api/jobs/{job_id}/parts/{ref}/proposals", {
          params: { path: { job_id: jobId, ref } },
        }),
      ),
  });

export const stockQuery = queryOptions({
  queryKey: ["stock"],
  queryFn: () => unwrap(client.GET("/api/stock")),
});

export const shoppingQuery = queryOptions({
  queryKey: ["shopping"],
  queryFn: () => unwrap(client.GET("/api/shopping-list")),
});

export const setsQuery = queryOptions({
  queryKey: ["sets"],
  queryFn: () => unwrap(client.GET("/api/sets")),
});

/** The list of measurements of FM receivers as it ships. */
export const fmMeasurementsQuery = queryOptions({
  queryKey: ["fm-measurements"],
  staleTime: Infinity,
  queryFn: () => unwrap(client.GET("/api/fm-measurements")),
});

export const fmRunQuery = (jobId: number, phase: string) =>
  queryOptions({
    queryKey: ["fm-run", jobId, phase],
    queryFn: () =>
      unwrap(
        client.GET("/api/jobs/{job_id}/fm-run", {
          params: { path: { job_id: jobId }, query: { phase } },
        }),
      ),
    // looked at often while it runs
    refetchInterval: (query) => (query.state.data?.running ? 700 : false),
  });
