import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import type { Schemas } from "../../api/client";
import { shelfQuery } from "../../api/queries";
import { Trouble } from "../../shared/Trouble";
import { SetFace } from "../../pictures/SetFace";
import { SmallScale } from "./SmallScale";
import { LitButton, PlainButton } from "../../shared/Buttons";

type Line = Schemas["ShelfShape"];

/** The sets as they stand in their jobs, and what is next on each. */
function ShelfPage() {
  const { data, error, hasNextPage, fetchNextPage } = useInfiniteQuery(shelfQuery);
  const jobs = data?.pages.flatMap((page) => page.jobs);
  return (
    <Stack as="main" p={6} gap={5} maxW="1280px" mx="auto">
      <Flex justify="space-between" align="center" wrap="wrap" gap={3}>
        <Box>
          <Heading fontSize="30px" fontWeight={500}>
            The shelf
          </Heading>
          <Text color="dim" fontSize="16px">
            Receivers on their way back: brought up safely, traced, aligned, proved against their
            service data.
          </Text>
        </Box>
        <Flex gap={3}>
          <PlainButton asChild>
            <Link to="/sheets/new">Make or import a sheet</Link>
          </PlainButton>
          <LitButton asChild>
            <Link to="/jobs/new">Open a job</Link>
          </LitButton>
        </Flex>
      </Flex>
      <Trouble error={error} />
      {jobs?.length === 0 && <EmptyShelf />}
      <Grid templateColumns="repeat(auto-fill, minmax(290px, 1fr))" gap={4}>
        {jobs?.map((line) => (
          <Card key={line.job_id} line={line} />
        ))}
      </Grid>
      {hasNextPage && (
        <Box>
          <PlainButton onClick={() => void fetchNextPage()}>Older jobs</PlainButton>
        </Box>
      )}
    </Stack>
  );
}

function EmptyShelf() {
  return (
    <Stack bg="panel" p={6} gap={3} borderRadius="4px" data-testid="empty-shelf">
      <Text fontSize="20px">No set is on the bench yet.</Text>
      <Text>
        First make a sheet of the model from its service data: its bands and its IF are enough to
        begin. Then open a job for the set. To look around first, stop this and start ./glow demo.
      </Text>
      <Box>
        <LitButton asChild>
          <Link to="/sheets/new">Make a sheet</Link>
        </LitButton>
      </Box>
    </Stack>
  );
}

function Card({ line }: { line: Line }) {
  const days = line.days_untouched;
  const rested = days === 0 ? "today" : days === 1 ? "yesterday" : `${days} days ago`;
  return (
    <Stack
      asChild
      bg="panel"
      p={4}
      gap={3}
      borderRadius="4px"
      borderWidth="1px"
      borderColor="edge"
      _hover={{ borderColor: "glow" }}
    >
      <Link to={`/jobs/${line.job_id}`} data-testid="shelf-card">
        <SetFace line={line} />
        <Box>
          <Heading as="h2" fontSize="22px" fontWeight={500}>
            {line.set_name}
          </Heading>
          <Text color="dim" fontSize="15px">
            {line.title} · {line.link_words} · {rested}
          </Text>
        </Box>
        <SmallScale stages={line.stages} />
        <Box>
          <Text color="dim" fontSize="14px">
            {line.closed ? "Closed" : `Next, ${line.next_stage}`}
          </Text>
          <Text fontSize="17px" color={line.closed ? "ink" : "glow"} lineClamp={2}>
            {line.next_title}
          </Text>
        </Box>
        {line.trouble && (
          <Text fontSize="15px" color="outside" lineClamp={1} title={line.trouble}>
            ▲ {line.trouble}
          </Text>
        )}
        {line.waits_for.length > 0 && (
          <Text fontSize="15px" lineClamp={1}>
            Waits for: {line.waits_for.join("; ")}
          </Text>
        )}
      </Link>
    </Stack>
  );
}

export const route = { Component: ShelfPage };
