import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, once, type PlotData, type Schemas, unwrap } from "../api/client";
import { instrumentsQuery, optionsQuery } from "../api/queries";
import { LitButton, PlainButton } from "../shared/Buttons";
import { Choice } from "../shared/Choice";
import { FormRow } from "../shared/FormRow";
import { LongRow } from "../shared/LongRow";
import { Plot } from "../shared/Plot";
import { Trouble } from "../shared/Trouble";
import { useAttempt } from "../shared/useAttempt";

type Instrument = Schemas["InstrumentShape"];

const EMPTY = { name: "", kind: "", host: "127.0.0.1", port: "5025", profile: "" };

/** The bench's instruments on the network: what is registered, and whether it answers. */
function InstrumentsPage() {
  const { data, error } = useQuery(instrumentsQuery);
  return (
    <Stack as="main" p={6} gap={4} maxW="1100px">
      <Heading fontSize="28px" fontWeight={500}>
        Instruments of the bench
      </Heading>
      <Text color="dim">
        The advice keeps to the limits of the newest generator and meter. A job that reads from the
        network uses the newest of each kind that has an address; a second multimeter keeps the
        guard reading. To try it, start ./glow bench: simulated instruments on 127.0.0.1.
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
  const { data: options } = useQuery(optionsQuery);
  const kind = options?.instruments.find((k) => k.kind === instrument.kind);
  const path = { instrument_id: instrument.id };
  const ask = () =>
    attempt("try", async () => {
      setSaid("");
      const call = client.POST("/api/instruments/{instrument_id}/trial", { params: { path } });
      setSaid((await unwrap(call)).identity);
    });
  const [trace, setTrace] = useState<Schemas["TraceShape"] | null>(null);
  const look = () =>
    attempt("look", async () => {
      const call = client.POST("/api/instruments/{instrument_id}/trace", {
        params: { path },
        body: { seconds: 0.05 },
      });
      setTrace(await unwrap(call));
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
        <Box flex="1" minW="240px">
          <Text fontFamily="mono">
            {instrument.host ? `${instrument.host}:${instrument.port}` : "by hand"}
            {instrument.own_profile ? ", own profile" : ""}
          </Text>
          <Text fontSize="15px" color="dim">
            {instrument.limits}
          </Text>
        </Box>
        {kind?.shows_traces && (
          <PlainButton onClick={() => void look()} busy={busy}>
            Look at its trace
          </PlainButton>
        )}
        {instrument.host && (
          <PlainButton onClick={() => void ask()} busy={busy}>
            Does it answer?
          </PlainButton>
        )}
        <PlainButton onClick={() => void remove()}>Remove</PlainButton>
      </Flex>
      {said && (
        <Text fontFamily="mono" fontSize="15px" color="inside" role="status">
          ◆ {said}
        </Text>
      )}
      {trace && <Plot plot={tracePlot(trace)} />}
      <Trouble error={trouble} />
    </Box>
  );
}

/** A trace as a plot; the samples stand evenly over its time. */
function tracePlot(trace: Schemas["TraceShape"]): PlotData {
  const last = Math.max(trace.volts.length - 1, 1);
  const x = trace.volts.map((_, n) => (n / last) * trace.seconds);
  return {
    title: "Trace, from the sync on",
    x_label: trace.x_label,
    y_label: trace.y_label,
    tolerance: null,
    marks: [],
    main: false,
    decades: false,
    lines: [{ label: "trace", role: "measured", x, y: trace.volts }],
  };
}

function Register() {
  const [form, setForm] = useState(EMPTY);
  const { busy, trouble, attempt } = useAttempt();
  const queries = useQueryClient();
  const [limits, setLimits] = useState<Record<string, string>>({});
  const put = (name: keyof typeof EMPTY) => (text: string) => setForm({ ...form, [name]: text });
  const { data: options } = useQuery(optionsQuery);
  const kinds = options?.instruments ?? [];
  const kind = form.kind || (kinds[0]?.kind ?? "");
  const asked = kinds.find((k) => k.kind === kind)?.limits ?? [];
  const kept = asked.filter(({ name }) => limits[name]?.trim());
  const body = {
    ...form,
    kind,
    port: Number(form.port) || 0,
    limits: Object.fromEntries(kept.map(({ name }) => [name, limits[name] ?? ""])),
  };
  const send = () =>
    attempt(body, async (key) => {
      await unwrap(client.POST("/api/instruments", { headers: once(key), body }));
      setForm({ ...EMPTY, kind, port: String(body.port + 1) });
      setLimits({});
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
            value={kind}
            onChange={put("kind")}
            choices={kinds.map((k) => ({ value: k.kind, label: k.kind }))}
          />
          <FormRow label="Host (empty: by hand)" value={form.host} onChange={put("host")} />
          <FormRow label="Port" value={form.port} onChange={put("port")} />
        </Grid>
        {asked.length > 0 && (
          <Grid templateColumns="repeat(4, 1fr)" gap={3}>
            {asked.map(({ name, label, example }) => (
              <FormRow
                key={name}
                label={label}
                value={limits[name] ?? ""}
                placeholder={example}
                onChange={(text) => setLimits({ ...limits, [name]: text })}
              />
            ))}
          </Grid>
        )}
        <LongRow
          label="Its own profile, when the shipped words do not fit (may stay empty)"
          value={form.profile}
          onChange={put("profile")}
          placeholder={"kind = multimeter\ndc_volts = MEAS:VOLT:DC?"}
        />
        <Trouble error={trouble} />
        <Box>
          <LitButton type="submit" busy={busy}>
            Register
          </LitButton>
        </Box>
      </Stack>
    </form>
  );
}

export const route = { Component: InstrumentsPage };
