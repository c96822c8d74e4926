import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";

import type { Schemas } from "../api/client";
import { jobQuery, stageQuery } from "../api/queries";
import { BareButton } from "../shared/Buttons";
import { JourneyScale } from "../shared/JourneyScale";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import { useKeys } from "../shared/useKeys";
import { VerdictShape } from "../shared/VerdictShape";

type StageStep = Schemas["StageStepShape"];

/** Steps that have a key of their own, as digits stand on the keyboard. */
const DIGITS = "1234567890";
const MOST_SAID = 3;

/** Everything of one stage at a glance: what each step found, what was said, and a key to it. */
function StagePage() {
  const { jobId: id, stage = "" } = useParams();
  const jobId = Number(id);
  const { data: job } = useQuery(jobQuery(jobId, null));
  const { data, error } = useQuery(stageQuery(jobId, stage));
  const navigate = useNavigate();
  const to = (key: string) => void navigate(`/jobs/${jobId}?step=${encodeURIComponent(key)}`);
  useKeys([
    ...[...DIGITS].map((key, n) => ({
      key,
      run: () => {
        const step = data?.steps[n];
        if (step) to(step.key);
      },
    })),
    { key: "Shift+F9", run: () => void navigate(`/jobs/${jobId}`) },
    { key: "F9", run: () => void navigate(`/jobs/${jobId}`) },
  ]);
  return (
    <Flex direction="column" h="100%" minH={0}>
      {job && (
        <JourneyScale
          stages={job.stages}
          at={stage}
          index={0}
          onGo={(next) => void navigate(`/jobs/${jobId}/stages/${encodeURIComponent(next)}`)}
        />
      )}
      <Stack as="main" p={4} gap={3} flex="1" minH={0} overflowY="auto" data-testid="stage-page">
        <Flex align="center" gap={3}>
          <Heading fontSize="28px" fontWeight={500} flex="1">
            {data ? `${data.set_name}: ${data.stage}` : "Laying the stage out ..."}
          </Heading>
          <BareButton asChild>
            <Link to={`/jobs/${jobId}`}>
              To what is next <KeyHint keys="F9" />
            </Link>
          </BareButton>
        </Flex>
        <Trouble error={error} />
        <Grid templateColumns={{ base: "1fr", md: "1fr 1fr" }} gap={3} alignItems="start">
          {data?.steps.map((step, n) => (
            <Card key={step.key} step={step} digit={DIGITS[n] ?? ""} onGo={() => to(step.key)} />
          ))}
        </Grid>
      </Stack>
    </Flex>
  );
}

function Card({ step, digit, onGo }: { step: StageStep; digit: string; onGo: () => void }) {
  const open = !step.finished && !step.shouts;
  const said = step.said.slice(-MOST_SAID);
  return (
    <Stack
      as="button"
      textAlign="left"
      bg="panel"
      p={3}
      gap={1}
      borderWidth="1px"
      borderColor="edge"
      borderRadius="4px"
      cursor="pointer"
      _hover={{ borderColor: "glow" }}
      onClick={onGo}
      data-testid="stage-step"
    >
      <Flex gap={2} align="baseline">
        {digit && <KeyHint keys={digit} />}
        <Text flex="1" fontSize="17px">
          {step.title}
        </Text>
        <Text
          fontSize="14px"
          color={step.shouts ? "outside" : open ? "dim" : "inside"}
          flexShrink={0}
        >
          {step.shouts ? "▲ " : open ? "○ " : "◆ "}
          {step.status_words || "open"}
        </Text>
      </Flex>
      {step.closed_because && (
        <Text fontSize="14px">Closed by decision: {step.closed_because}</Text>
      )}
      {step.results.length > 0 ? (
        <Flex gap={3} rowGap={0} wrap="wrap" fontSize="14px">
          {step.results.map((r) => (
            <Flex key={`${r.seq} ${r.label}`} gap={1} align="center">
              <VerdictShape verdict={r.verdict} />
              <Text color="dim">{r.label}</Text>
              <Text fontFamily="mono">{r.text}</Text>
            </Flex>
          ))}
        </Flex>
      ) : (
        said.map((line, n) => (
          <Box key={n} asChild fontSize="14px" color="dim" lineClamp={1}>
            <span>{line}</span>
          </Box>
        ))
      )}
      {step.notes.map((note) => (
        <Text key={note} fontSize="14px" color="dim">
          {note}
        </Text>
      ))}
    </Stack>
  );
}

export const route = { Component: StagePage };
