import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";

import { FieldSet } from "../shared/FieldSet";
import { Plot } from "../shared/Plot";
import { Trouble } from "../shared/Trouble";
import { VerdictShape } from "../shared/VerdictShape";
import { answerQuery, type SumAnswer, type SumForm } from "./forms";
import { KeepInLog } from "./KeepInLog";

const SupplyDrawing = lazy(() => import("../pictures/SupplyDrawing"));
const REST_MS = 250;
// what has no room for it scrolls rather than lies flat
const PLOT_FLEX = "1 0 240px";

/** A sum at work: what is typed at the left is answered at the right as soon as it rests. */
export function SumWork({ form, jobId }: { form: SumForm; jobId: number | null }) {
  const [values, setValues] = useState(form.examples);
  const asked = useAtRest(values);
  const { data, error, isFetching } = useQuery(answerQuery(form, asked));
  const stale = isFetching || asked !== values || error !== null;
  return (
    <Grid
      templateColumns={{ base: "1fr", md: "minmax(0, 330px) minmax(0, 1fr)" }}
      gap={4}
      minH={0}
      data-testid="sum-work"
      data-stale={stale}
    >
      <Stack bg="panel" p={4} gap={3} minH={0} overflowY="auto">
        <Box>
          <Heading fontSize="26px" fontWeight={500}>
            {form.title}
          </Heading>
          <Text color="dim" fontSize="15px">
            {form.purpose}
          </Text>
        </Box>
        <form onSubmit={(event) => event.preventDefault()}>
          <FieldSet
            id={`sum-${form.key}`}
            fields={form.fields}
            values={values}
            onChange={setValues}
            focus
          />
        </form>
        <Trouble error={error} />
      </Stack>
      <Stack bg="panel" p={4} gap={3} minH={0} overflowY="auto" opacity={stale ? 0.6 : 1}>
        {data && <Answer answer={data} jobId={jobId} />}
      </Stack>
    </Grid>
  );
}

export function Answer({ answer, jobId }: { answer: SumAnswer; jobId: number | null }) {
  const plots = [answer.plot, answer.beside].filter((plot) => plot != null);
  return (
    <>
      <Text fontSize="20px" lineHeight={1.3} color="glow" role="status" data-testid="sentence">
        {answer.sentence}
      </Text>
      <KeepInLog sentence={answer.sentence} jobId={jobId} />
      <Box asChild fontSize="15px">
        <dl>
          {answer.lines.map((line, n) => (
            <Flex key={`${line.label} ${n}`} gap={3} py="2px" data-testid="sum-line">
              <Text as="dt" color="dim" flex="0 0 46%">
                {line.label}
              </Text>
              <Flex as="dd" gap={2} align="baseline" fontFamily="mono">
                {line.verdict && <VerdictShape verdict={line.verdict} />}
                <Text as="span">{line.text}</Text>
              </Flex>
            </Flex>
          ))}
        </dl>
      </Box>
      {answer.picture && (
        <Suspense fallback={<Box h="250px" />}>
          <SupplyDrawing picture={answer.picture} />
        </Suspense>
      )}
      {plots.map((plot) => (
        <Flex key={plot.title} direction="column" flex={PLOT_FLEX}>
          <Plot plot={plot} />
        </Flex>
      ))}
    </>
  );
}

/** A value once it has not changed for a moment. */
function useAtRest<T>(value: T): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), REST_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return rested;
}
