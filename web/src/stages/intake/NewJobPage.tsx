import { Box, Flex, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { client, once, unwrap } from "../../api/client";
import { optionsQuery, setsQuery, sheetsQuery } from "../../api/queries";
import { Choice } from "../../shared/Choice";
import { FormRow } from "../../shared/FormRow";
import { LongRow } from "../../shared/LongRow";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";
import { BareButton, LitButton } from "../../shared/Buttons";

/** Opens a job: which sheet, which set, and whether it stands here or is simulated. */
function NewJobPage() {
  const { data: sheets, error } = useQuery(sheetsQuery);
  const [search] = useSearchParams();
  const [sheet, setSheet] = useState(search.get("sheet") ?? "");
  const [name, setName] = useState("");
  const [serial, setSerial] = useState("");
  const [seed, setSeed] = useState("1");
  const [condition, setCondition] = useState("");
  const [source, setSource] = useState("");
  const { data: options } = useQuery(optionsQuery);
  const { busy, trouble, attempt } = useAttempt();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const first = useRef<HTMLInputElement>(null);
  useEffect(() => first.current?.focus(), [sheets]);
  const chosen = sheet || String(sheets?.at(-1)?.id ?? "");

  const { data: sets } = useQuery(setsQuery);
  const model = sheets?.find((s) => String(s.id) === chosen);
  const known = (sets?.sets ?? []).filter(
    (s) => s.maker === model?.maker && s.model === model.model,
  );
  const [setId, setSetId] = useState("");

  const body = {
    sheet_id: Number(chosen),
    set_id: setId ? Number(setId) : null,
    set_name: name,
    serial,
    simulated_seed: source === "simulated" ? Number(seed) : null,
    simulated_condition: source === "simulated" ? condition : "",
    network: source === "network",
  };
  const open = () =>
    attempt(body, async (key) => {
      const { id } = await unwrap(client.POST("/api/jobs", { headers: once(key), body }));
      await queries.invalidateQueries();
      await navigate(`/jobs/${id}`);
    });

  return (
    <Stack as="main" p={6} gap={4} maxW="720px">
      <Heading fontSize="28px" fontWeight={500}>
        Open a job
      </Heading>
      <Trouble error={error} />
      {sheets?.length === 0 ? (
        <Box>
          <Text mb={3}>There is no data sheet yet; a job rests on one.</Text>
          <LitButton asChild>
            <Link to="/sheets/new">Make or import a sheet</Link>
          </LitButton>
        </Box>
      ) : (
        <form
          noValidate
          onSubmit={(event) => {
            event.preventDefault();
            void open();
          }}
        >
          <Stack gap={4}>
            <Choice
              label="Model"
              value={chosen}
              onChange={setSheet}
              choices={(sheets ?? []).map((s) => ({
                value: String(s.id),
                label: `${s.maker} ${s.model} (sheet version ${s.version})`,
              }))}
            />
            {chosen && (
              <Text color="glow" textDecoration="underline">
                <a href={`/api/sheets/${chosen}/document`}>The sheet as a file (JSON)</a>
              </Text>
            )}
            {known.length > 0 && (
              <Choice
                label="Which set"
                value={setId}
                onChange={setSetId}
                choices={[
                  { value: "", label: "one that is here for the first time" },
                  ...known.map((s) => ({
                    value: String(s.id),
                    label: `${s.name} ${s.serial} (visits so far: ${s.visits})`,
                  })),
                ]}
              />
            )}
            {!setId && (
              <FormRow
                hold={first}
                label="Name to tell the set by"
                value={name}
                onChange={setName}
                placeholder="Reading room receiver"
              />
            )}
            {!setId && (
              <FormRow label="Serial number (may stay empty)" value={serial} onChange={setSerial} />
            )}
            <Choice
              label="Where readings come from"
              value={source}
              onChange={setSource}
              choices={options?.sources ?? []}
            />
            {source === "simulated" && (
              <FormRow
                label="Which one"
                value={seed}
                onChange={(text) => setSeed(text.replace(/\D/g, "").slice(0, 9))}
                help="A number; the same number is the same neglected set again."
              />
            )}
            {source === "simulated" && (
              <LongRow
                label="Its condition as JSON, instead of a number (may stay empty)"
                value={condition}
                onChange={setCondition}
                placeholder={
                  '{"seed": 7, "faults": [{"kind": "device", "stage": "V2", "strength": 0.4}]}'
                }
              />
            )}
            <Trouble error={trouble} />
            <Flex gap={3}>
              <LitButton type="submit" busy={busy}>
                Open the job
              </LitButton>
              <BareButton asChild>
                <Link to="/sheets/new">Another model</Link>
              </BareButton>
            </Flex>
          </Stack>
        </form>
      )}
    </Stack>
  );
}

export const route = { Component: NewJobPage };
