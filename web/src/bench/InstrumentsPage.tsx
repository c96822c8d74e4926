import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, once, type PlotData, type Schemas, unwrap } from "../api/client";
import { instrumentsQuery } from "../api/queries";
import { LitButton, PlainButton } from "../shared/Buttons";
import { Choice } from "../shared/Choice";
import { FormRow } from "../shared/FormRow";
import { LongRow } from "../shared/LongRow";
import { Plot } from "../shared/Plot";
import { Trouble } from "../shared/Trouble";
import { useAttempt } from "../shared/useAttempt";

type Instrument = Schemas["InstrumentShape"];

const KINDS = ["generator", "multimeter", "line supply", "oscilloscope"];
const EMPTY = { name: "", kind: "generator", host: "127.0.0.1", port: "5025", profile: "" };

type Limit = { name: string; label: string; placeholder: string };

/** What limits an instrument, by its kind; the server reads and checks what is typed. */
const LIMITS: Record<string, Limit[]> = {
  generator: [
    { name: "lowest", label: "From", placeholder: "100k" },
    { name: "highest", label: "To", placeholder: "30M" },
    { name: "least", label: "Least level (EMF)", placeholder: "1u" },
    { name: "greatest", label: "Greatest level", placeholder: "100m" },
    { name: "step", label: "Attenuator step, dB", placeholder: "none" },
    { name: "sync", label: "Fastest sweep sync, Hz", placeholder: "none" },
    { name: "known", label: "Frequency known by", placeholder: "display, counter, crystal" },
    { name: "error", label: "Its error, %", placeholder: "1" },
  ],
  multimeter: [
    { name: "input", label: "Input resistance, DC volts", placeholder: "11M" },
    {
      name: "ranges",
      label: "Ohm ranges, from the lowest",
      placeholder: "R x 1: 1.5 V 150 mA; R x 10: 1.5 V 15 mA",
    },
  ],
};

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
      const call = client.GET("/api/instruments/{instrument_id}/trace", { params: { path } });
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
        {instrument.kind === "oscilloscope" && (
          <PlainButton onClick={() => void look()} loading={busy}>
            Look at its trace
          </PlainButton>
        )}
        {instrument.host && (
          <PlainButton onClick={() => void ask()} loading={busy}>
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
    x_label: "s",
    y_label: "V",
    tolerance: null,
    lines: [{ label: "trace", role: "measured", x, y: trace.volts }],
  };
}

function Register() {
  const [form, setForm] = useState(EMPTY);
  const { busy, trouble, attempt } = useAttempt();
  const queries = useQueryClient();
  const [limits, setLimits] = useState<Record<string, string>>({});
  const put = (name: keyof typeof EMPTY) => (text: string) => setForm({ ...form, [name]: text });
  const asked = LIMITS[form.kind] ?? [];
  const kept = asked.filter(({ name }) => limits[name]?.trim());
  const body = {
    ...form,
    port: Number(form.port) || 0,
    limits: Object.fromEntries(kept.map(({ name }) => [name, limits[name] ?? ""])),
  };
  const send = () =>
    attempt(body, async (key) => {
      await unwrap(client.POST("/api/instruments", { headers: once(key), body }));
      setForm({ ...EMPTY, kind: form.kind, port: String(body.port + 1) });
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
            value={form.kind}
            onChange={put("kind")}
            choices={KINDS.map((value) => ({ value, label: value }))}
          />
          <FormRow label="Host (empty: by hand)" value={form.host} onChange={put("host")} />
          <FormRow label="Port" value={form.port} onChange={put("port")} />
        </Grid>
        {asked.length > 0 && (
          <Grid templateColumns="repeat(4, 1fr)" gap={3}>
            {asked.map(({ name, label, placeholder }) => (
              <FormRow
                key={name}
                label={label}
                value={limits[name] ?? ""}
                placeholder={placeholder}
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
          <LitButton type="submit" loading={busy}>
            Register
          </LitButton>
        </Box>
      </Stack>
    </form>
  );
}

export const route = { Component: InstrumentsPage };
