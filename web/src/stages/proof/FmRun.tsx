import { Box, Flex, Progress, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { client, unwrap } from "../../api/client";
import { fmRunQuery } from "../../api/queries";
import { LitButton, PlainButton } from "../../shared/Buttons";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";

type Props = { jobId: number; phase: string; byHand: boolean };

/** The list run at the bench: how far it is, and to start, pause and take it up again. */
export function FmRun({ jobId, phase, byHand }: Props) {
  const { data, error } = useQuery(fmRunQuery(jobId, phase));
  const queries = useQueryClient();
  const { busy, trouble, attempt } = useAttempt();
  const done = data?.done;
  // every point that is kept changes the job
  useEffect(() => {
    if (done !== undefined) void queries.invalidateQueries({ queryKey: ["job", jobId] });
  }, [done, jobId, queries]);
  if (!data) return <Trouble error={error} />;
  const call = (path: "/api/jobs/{job_id}/fm-run" | "/api/jobs/{job_id}/fm-run/pause") =>
    attempt([path, phase, data.done], async () => {
      await unwrap(client.POST(path, { params: { path: { job_id: jobId } }, body: { phase } }));
      await queries.invalidateQueries({ queryKey: ["fm-run", jobId] });
    });
  const words = data.running ? data.now || "Beginning" : standing(data.done, data.total);
  return (
    <Box as="section" aria-label="Run of the list" data-testid="fm-run">
      <Flex gap={3} align="center" mb={2}>
        {data.running ? (
          <PlainButton onClick={() => call("/api/jobs/{job_id}/fm-run/pause")} busy={busy}>
            Pause
          </PlainButton>
        ) : (
          !byHand &&
          data.done < data.total && (
            <LitButton onClick={() => call("/api/jobs/{job_id}/fm-run")} busy={busy}>
              {data.done > 0 ? "Go on with the list" : "Run the list"}
            </LitButton>
          )
        )}
        <Text fontSize="16px" data-testid="fm-run-words">
          {words}
        </Text>
      </Flex>
      {data.set_first && !data.running && (
        <Text fontSize="16px" mb={2} data-testid="fm-run-switch">
          First turn the set&apos;s own switch to <b>{data.set_first}</b>: the run cannot.
        </Text>
      )}
      <Progress.Root
        value={data.done}
        max={Math.max(data.total, 1)}
        size="sm"
        aria-label="Points kept"
      >
        <Progress.Track>
          <Progress.Range bg="glow" />
        </Progress.Track>
      </Progress.Root>
      <Text fontSize="15px" color="dim" role="status">
        {data.done} of {data.total} points are kept.
        {byHand ? " This job is worked by hand: type the points, or take them from a file." : ""}
      </Text>
      {data.trouble && (
        <Text color="outside" role="alert" data-testid="fm-run-trouble">
          ▲ Stopped: {data.trouble} What was read is kept.
        </Text>
      )}
      <Trouble error={trouble} />
    </Box>
  );
}

const standing = (done: number, total: number) => {
  if (done === 0) return "Not begun.";
  return done < total ? "Paused." : "Complete.";
};
