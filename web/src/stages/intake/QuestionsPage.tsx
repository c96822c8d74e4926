import { Box, Heading, Image, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";

import { jobQuery, registersQuery } from "../../api/queries";
import { PlainButton } from "../../shared/Buttons";
import { Trouble } from "../../shared/Trouble";

/** One list for the owner: every open question with its photo, and room for the answer. */
function QuestionsPage() {
  const jobId = Number(useParams().jobId);
  const { data: job, error } = useQuery(jobQuery(jobId, null));
  const { data } = useQuery(registersQuery(jobId));
  if (!job || !data) return <Trouble error={error} />;
  const lines = (name: string) => data.registers.find((r) => r.name === name)?.lines ?? [];
  const photos = new Map(lines("photos").map((p) => [p.title, p.photo_id]));
  const questions = lines("questions");
  const decisions = lines("modifications").filter((m) => m.asks_owner);
  return (
    <Stack as="main" p={6} gap={4} maxW="800px">
      <Box className="no-print">
        <PlainButton onClick={() => window.print()}>Print</PlainButton>{" "}
        <PlainButton asChild>
          <Link to={`/jobs/${jobId}/registers`}>To the registers</Link>
        </PlainButton>
      </Box>
      <Heading fontSize="28px" fontWeight={500}>
        Questions to the owner: {job.set_name}, {job.title}
      </Heading>
      {questions.length + decisions.length === 0 && <Text>There is nothing to ask.</Text>}
      {questions.map((line, n) => (
        <Box key={line.key} borderTopWidth="1px" borderColor="edge" pt={2}>
          <Text fontSize="18px" whiteSpace="pre-line">
            {n + 1}. {line.title}
          </Text>
          {line.fields.photo && photos.get(line.fields.photo) && (
            <Image
              src={`/api/jobs/${jobId}/photos/${photos.get(line.fields.photo)}?small=true`}
              alt={line.fields.photo}
              my={2}
            />
          )}
          <Text color="dim">
            {line.fields.answer
              ? `Answer: ${line.fields.answer}`
              : "Answer: ______________________"}
          </Text>
        </Box>
      ))}
      {decisions.map((line) => (
        <Box key={line.key} borderTopWidth="1px" borderColor="edge" pt={2}>
          <Text fontSize="18px">Found: {line.title}. Keep it, or undo it?</Text>
          <Text color="dim">{line.details}</Text>
          <Text color="dim">Answer: ______________________</Text>
        </Box>
      ))}
    </Stack>
  );
}

export const route = { Component: QuestionsPage };
