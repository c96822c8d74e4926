import { Box, Flex, Grid, Heading, Stack, Text, Textarea } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, once, type Schemas, unwrap } from "../api/client";
import { instrumentsQuery } from "../api/queries";
import { LitButton, PlainButton } from "../shared/Buttons";
import { Choice } from "../shared/Choice";
import { FormRow } from "../shared/FormRow";
import { Trouble } from "../shared/Trouble";
import { useAttempt } from "../shared/useAttempt";

type Instrument = Schemas["InstrumentShape"];

const KINDS = ["generator", "multimeter", "line supply"];
const EMPTY = { name: "", kind: "generator", host: "127.0.0.1", port: "5025", profile: "" };

/** The bench's instruments on the network: what is registered, and whether it answers. */
function InstrumentsPage() {
  const { data, error } = useQuery(instrumentsQuery);
  return (
    <Stack as="main" p={6} gap={4} maxW="1100px">
      <Heading fontSize="28px" fontWeight={500}>
        Instruments on the network
      </Heading>
      <Text color="dim">
        A job that reads from the network uses the newest of each kind. To try it without any, start
        ./glow bench: it serves a simulated set with its instruments on 127.0.0.1.
      </Text>
      <Trouble error={error} />
      {data?.length === 0 && <Text>Nothing is registered yet.</Text>}
      {data?.map((instrument) => (
        <Row key={instrument.id} instrument={instrument} />
      ))}
      <Register />
    </Stack>
  );
}

function Row({ instrument }: { instrument: Instrument }) {
  const [said, setSaid] = useState("");
  const { busy, trouble, attempt } = useAttempt();
  const queries = useQueryClient();
  const path = { instrument_id: instrument.id };
  const ask = () =>
    attempt("try", async () => {
      setSaid("");
      const call = client.POST("/api/instruments/{instrument_id}/trial", { params: { path } });
      setSaid((await unwrap(call)).identity);
    });
  const remove = () =>
    attempt("remove", async (key) => {
      const { error } = await client.DELETE("/api/instruments/{instrument_id}", {
        params: { path },
        headers: once(key),
      });
      if (error) throw new Error("It could not be removed; look at the list again.");
      await queries.invalidateQueries();
    });
  return (
    <Box bg="panel" px={4} py={2} borderRadius="4px" data-testid="instrument">
      <Flex gap={3} align="center" wrap="wrap">
        <Text w="240px">
          {instrument.name}{" "}
          <Text as="span" color="dim">
            {instrument.kind}
          </Text>
        </Text>
        <Text fontFamily="mono" flex="1">
          {instrument.host}:{instrument.port}
          {instrument.own_profile ? ", own profile" : ""}
        </Text>
        <PlainButton onClick={() => void ask()} loading={busy}>
          Does it answer?
        </PlainButton>
        <PlainButton onClick={() => void remove()}>Remove</PlainButton>
      </Flex>
      {said && (
        <Text fontFamily="mono" fontSize="15px" color="inside" role="status">
          ◆ {said}
        </Text>
      )}
      <Trouble error={trouble} />
    </Box>
  );
}

function Register() {
  const [form, setForm] = useState(EMPTY);
  const { busy, trouble, attempt } = useAttempt();
  const queries = useQueryClient();
  const put = (name: keyof typeof EMPTY) => (text: string) => setForm({ ...form, [name]: text });
  const body = { ...form, port: Number(form.port) || 0 };
  const send = () =>
    attempt(body, async (key) => {
      await unwrap(client.POST("/api/instruments", { headers: once(key), body }));
      setForm({ ...EMPTY, kind: form.kind, port: String(body.port + 1) });
      await queries.invalidateQueries();
    });
  return (
    <form
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        void send();
      }}
    >
      <Stack gap={3}>
        <Grid templateColumns="1fr 1fr 1fr 120px" gap={3}>
          <FormRow
            label="Name"
            value={form.name}
            onChange={put("name")}
            placeholder="shelf meter"
          />
          <Choice
            label="Kind"
            value={form.kind}
            onChange={put("kind")}
            choices={KINDS.map((value) => ({ value, label: value }))}
          />
          <FormRow label="Host" value={form.host} onChange={put("host")} />
          <FormRow label="Port" value={form.port} onChange={put("port")} />
        </Grid>
        <Box>
          <Text asChild fontSize="15px">
            <label htmlFor="profile">
              Its own profile, when the shipped words do not fit (may stay empty)
            </label>
          </Text>
          <Textarea
            id="profile"
            rows={4}
            fontFamily="mono"
            fontSize="14px"
            bg="raised"
            borderColor="edge"
            placeholder={"kind = multimeter\ndc_volts = MEAS:VOLT:DC?"}
            _placeholder={{ color: "dim" }}
            value={form.profile}
            onChange={(event) => put("profile")(event.target.value)}
            spellCheck={false}
          />
        </Box>
        <Trouble error={trouble} />
        <Box>
          <LitButton type="submit" loading={busy}>
            Register
          </LitButton>
        </Box>
      </Stack>
    </form>
  );
}

export const route = { Component: InstrumentsPage };
