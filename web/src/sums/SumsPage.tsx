import { Box, Flex, Grid, Heading, Input, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { Trouble } from "../shared/Trouble";
import { formsQuery, type SumForm } from "./forms";
import { SumWork } from "./SumWork";

/** Every stand-alone sum: found by typing, worked without a job. */
function SumsPage() {
  const { key } = useParams();
  const [search] = useSearchParams();
  const { data: forms, error } = useQuery(formsQuery);
  const form = forms?.find((f) => f.key === key) ?? null;
  const beside = search.toString() ? `?${search.toString()}` : "";
  return (
    <Grid
      as="main"
      templateColumns={{ base: "1fr", lg: "232px minmax(0, 1fr)" }}
      gap={4}
      p={4}
      h={{ lg: "100%" }}
      minH={0}
    >
      <Trouble error={error} />
      {forms && <Finder forms={forms} chosen={form} beside={beside} />}
      {form ? (
        <SumWork key={form.key} form={form} jobId={Number(search.get("job")) || null} />
      ) : (
        <Stack bg="panel" p={6} gap={3}>
          <Heading fontSize="28px" fontWeight={500}>
            Sums
          </Heading>
          <Text>
            Arithmetic of the bench without a job. Type what you are after at the left, or pick one:
            each has an example filled in, and its answer can be kept in a job&apos;s log.
          </Text>
        </Stack>
      )}
    </Grid>
  );
}

const matches = (form: SumForm, words: string) =>
  words
    .toLowerCase()
    .split(/\s+/)
    .every((w) => `${form.title} ${form.purpose} ${form.stage}`.toLowerCase().includes(w));

/** The list by stage, narrowed by what is typed; Enter takes the first. */
function Finder({
  forms,
  chosen,
  beside,
}: {
  forms: SumForm[];
  chosen: SumForm | null;
  beside: string;
}) {
  const [words, setWords] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  useEffect(() => {
    if (!chosen) input.current?.focus();
  }, [chosen]);
  const found = forms.filter((form) => matches(form, words));
  const stages = [...new Set(found.map((form) => form.stage))];
  return (
    <Flex as="nav" aria-label="Sums" direction="column" gap={2} bg="panel" p={3} minH={0}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          const first = found[0];
          if (first) void navigate(`/sums/${first.key}${beside}`);
        }}
      >
        <Input
          ref={input}
          aria-label="Find a sum"
          placeholder="Find a sum"
          h="44px"
          bg="raised"
          borderColor="edge"
          fontSize="16px"
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
      </form>
      <Box overflowY="auto" minH={0}>
        {found.length === 0 && <Text color="dim">No sum is called so.</Text>}
        {stages.map((stage) => (
          <Box key={stage} mb={2}>
            <Text color="dim" fontSize="14px" px={2}>
              {stage}
            </Text>
            {found
              .filter((form) => form.stage === stage)
              .map((form) => (
                <Flex
                  asChild
                  key={form.key}
                  align="center"
                  minH="44px"
                  px={2}
                  borderLeftWidth="3px"
                  borderColor={form === chosen ? "glow" : "transparent"}
                  bg={form === chosen ? "raised" : "transparent"}
                  _hover={{ bg: "raised" }}
                >
                  <Link
                    to={`/sums/${form.key}${beside}`}
                    aria-current={form === chosen ? "page" : undefined}
                    data-testid="sum"
                  >
                    {form.title}
                  </Link>
                </Flex>
              ))}
          </Box>
        ))}
        <Flex asChild align="center" minH="44px" px={2} _hover={{ bg: "raised" }}>
          <Link to={`/recordings${beside}`} data-testid="to-recordings">
            A recording (WAV) ...
          </Link>
        </Flex>
      </Box>
    </Flex>
  );
}

export const route = { Component: SumsPage };
