import { queryOptions } from "@tanstack/react-query";

import { client, unwrap } from "./client";

export const shelfQuery = queryOptions({
  queryKey: ["shelf"],
  queryFn: () => unwrap(client.GET("/api/jobs", { params: { query: { limit: 60 } } })),
});

export const sheetsQuery = queryOptions({
  queryKey: ["sheets"],
  queryFn: () => unwrap(client.GET("/api/sheets")),
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
