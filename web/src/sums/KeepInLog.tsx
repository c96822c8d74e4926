import { Box, Flex, Text } from "@chakra-ui/react";
import { useInfiniteQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, once, unwrap } from "../api/client";
import { shelfQuery } from "../api/queries";
import { PlainButton } from "../shared/Buttons";
import { Choice } from "../shared/Choice";
import { Trouble } from "../shared/Trouble";
import { useAttempt } from "../shared/useAttempt";

/** Keeps what came out as a note in the log of a job that is on the bench. */
export function KeepInLog({ sentence, jobId }: { sentence: string; jobId: number | null }) {
  const { data } = useInfiniteQuery(shelfQuery);
  const open = data?.pages.flatMap((page) => page.jobs).filter((job) => !job.closed) ?? [];
  const [chosen, setChosen] = useState(jobId);
  const [kept, setKept] = useState("");
  const queries = useQueryClient();
  const { busy, trouble, attempt } = useAttempt();
  const into = chosen ?? open[0]?.job_id ?? null;
  if (into === null) return null;
  const keep = () =>
    attempt(["keep", into, sentence], async (key) => {
      const path = { params: { path: { job_id: into } } };
      const job = await unwrap(client.GET("/api/jobs/{job_id}", path));
      await unwrap(
        client.POST("/api/jobs/{job_id}/notes", {
          ...path,
          headers: once(key),
          body: { step: "", text: sentence, version: job.version },
        }),
      );
      setKept(sentence);
      await queries.invalidateQueries({ queryKey: ["job", into] });
    });
  return (
    <Box>
      <Flex gap={3} align="end" wrap="wrap">
        <PlainButton onClick={() => void keep()} aria-disabled={busy}>
          Keep in this job&apos;s log
        </PlainButton>
        <Box w="240px">
          <Choice
            label="Kept in the job of"
            value={`${into}`}
            onChange={(value) => setChosen(Number(value))}
            choices={open.map((job) => ({ value: `${job.job_id}`, label: job.set_name }))}
          />
        </Box>
        {kept === sentence && (
          <Text role="status" data-testid="sum-kept">
            ◆ kept
          </Text>
        )}
      </Flex>
      <Trouble error={trouble} />
    </Box>
  );
}
