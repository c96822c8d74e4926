import { Box, Flex, Text } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { jobQuery, shelfQuery } from "../api/queries";
import { useWrite } from "../journey/useWrite";
import { PlainButton } from "../shared/Buttons";
import { Choice } from "../shared/Choice";
import { Trouble } from "../shared/Trouble";
import { useAttempt } from "../shared/useAttempt";

/** Keeps what came out as a note in the log of a job that is on the bench. */
export function KeepInLog({ sentence, jobId }: { sentence: string; jobId: number | null }) {
  const { data } = useInfiniteQuery(shelfQuery);
  const open = data?.pages.flatMap((page) => page.jobs).filter((job) => !job.closed) ?? [];
  const [chosen, setChosen] = useState(jobId);
  const into = chosen ?? open[0]?.job_id;
  if (into === undefined) return null;
  const choices = open.map((job) => ({ value: `${job.job_id}`, label: job.set_name }));
  return (
    <Flex gap={3} align="end" wrap="wrap">
      <Keep key={into} jobId={into} sentence={sentence} />
      <Box w="240px">
        <Choice
          label="Kept in the job of"
          value={`${into}`}
          onChange={(value) => setChosen(Number(value))}
          choices={choices}
        />
      </Box>
    </Flex>
  );
}

function Keep({ jobId, sentence }: { jobId: number; sentence: string }) {
  const { data: job, error } = useQuery(jobQuery(jobId, null));
  // nothing to press before the job is read: a press would be lost without a word
  if (!job) return <Trouble error={error} />;
  return <KeepIn jobId={jobId} version={job.version} sentence={sentence} />;
}

function KeepIn(props: { jobId: number; version: number; sentence: string }) {
  const { jobId, version, sentence } = props;
  const writing = useWrite(jobId, version);
  const [kept, setKept] = useState("");
  const { busy, trouble, attempt } = useAttempt();
  const keep = () =>
    attempt(sentence, async () => {
      await writing.write("/api/jobs/{job_id}/notes", { step: "", text: sentence });
      setKept(sentence);
    });
  return (
    <>
      <PlainButton busy={busy} onClick={() => void keep()}>
        Keep in this job&apos;s log
      </PlainButton>
      {kept === sentence && (
        <Text role="status" data-testid="sum-kept">
          ◆ kept
        </Text>
      )}
      <Trouble error={trouble} />
    </>
  );
}
