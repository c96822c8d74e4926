import { Box, Checkbox, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import { client, once, type Schemas, unwrap } from "../../api/client";
import { Choice } from "../../shared/Choice";
import { FormRow } from "../../shared/FormRow";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";
import { LitButton, PlainButton } from "../../shared/Buttons";

type Form = Schemas["TemplateForm"];
type Band = Schemas["BandForm"];
type Texts = Exclude<keyof Form, "bands" | "chassis" | "rectifier">;

type Chassis = NonNullable<Form["chassis"]>;
type Rectifier = NonNullable<Form["rectifier"]>;

const CHASSIS: Chassis[] = ["mains transformer", "transformerless", "battery"];
const RECTIFIERS: Rectifier[] = ["vacuum", "silicon", "selenium", "gas-filled"];
const BAND: Band = { name: "", low: "", high: "", low_mark: "", high_mark: "", padder: true };
const EMPTY: Form = {
  maker: "",
  model: "",
  chassis: "mains transformer",
  rectifier: "vacuum",
  intermediate_frequency: "",
  bands: [{ ...BAND, name: "Broadcast" }],
  mains: "",
  secondary: "",
  source_resistance: "",
  rectifier_drop: "",
  rectifier_drop_current: "",
  reservoir: "",
  filter_resistance: "",
  filter_capacitor: "",
  b_plus: "",
  b_plus_current: "",
  b_plus_resistance: "",
  sensitivity: "",
};

const SUPPLY: [Texts, string, string][] = [
  ["mains", "Mains (V)", "230"],
  ["secondary", "Winding, unloaded (V, one half)", "290"],
  ["b_plus", "B+ at the last capacitor (V)", "235"],
  ["b_plus_current", "B+ current (mA)", "60"],
  ["b_plus_resistance", "B+ to chassis, cold", "150k"],
  ["reservoir", "First filter (uF)", "16"],
  ["filter_resistance", "Filter resistor or choke", "1k2"],
  ["filter_capacitor", "Second filter (uF)", "16"],
  ["rectifier_drop", "Rectifier drop (V)", "55"],
  ["rectifier_drop_current", "at (mA)", "125"],
  ["sensitivity", "Sensitivity, 10 dB (uV EMF)", "25"],
];

/** The commonest circuit, filled in with only what the service data gives. */
export function TemplateForm({ onKept }: { onKept: (id: number) => Promise<void> }) {
  const [form, setForm] = useState<Form>(EMPTY);
  const { busy, trouble, attempt } = useAttempt();
  const first = useRef<HTMLInputElement>(null);
  useEffect(() => first.current?.focus(), []);
  const row = (name: Texts, label: string, example: string) => (
    <FormRow
      key={name}
      {...(name === "maker" ? { hold: first } : {})}
      label={label}
      placeholder={example}
      value={form[name] ?? ""}
      onChange={(text) => setForm({ ...form, [name]: text })}
    />
  );
  const putBand = (index: number, change: Partial<Band>) =>
    setForm({
      ...form,
      bands: form.bands.map((band, n) => (n === index ? { ...band, ...change } : band)),
    });
  const send = () =>
    attempt(form, async (key) => {
      const { id } = await unwrap(
        client.POST("/api/sheets/from-template", { headers: once(key), body: form }),
      );
      await onKept(id);
    });
  return (
    <form
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        void send();
      }}
    >
      <Stack gap={4}>
        <Text color="dim">
          Converter, two IF transformers, diode detector with AVC, output, mains supply. Fill in
          what the service data gives and leave the rest empty; what is missing is said where it is
          missed.
        </Text>
        <Grid templateColumns="repeat(4, 1fr)" gap={3}>
          {row("maker", "Maker", "Orlwick")}
          {row("model", "Model", "Slipway Five")}
          {row("intermediate_frequency", "IF (kHz)", "455")}
          <Choice
            label="Runs from"
            value={form.chassis ?? "mains transformer"}
            choices={CHASSIS.map((value) => ({ value, label: value }))}
            onChange={(text) => setForm({ ...form, chassis: text as Chassis })}
          />
        </Grid>
        {form.bands.map((band, n) => (
          <BandRow key={n} band={band} onChange={(change) => putBand(n, change)} />
        ))}
        <Box>
          <PlainButton
            disabled={form.bands.length >= 6}
            onClick={() => setForm({ ...form, bands: [...form.bands, BAND] })}
          >
            Another band
          </PlainButton>
        </Box>
        <Heading as="h2" fontSize="20px" fontWeight={500}>
          Supply and sensitivity, as far as they are given
        </Heading>
        <Grid templateColumns="repeat(4, 1fr)" gap={3}>
          {SUPPLY.map(([name, label, example]) => row(name, label, example))}
          <Choice
            label="Rectifier"
            value={form.rectifier ?? "vacuum"}
            choices={RECTIFIERS.map((value) => ({ value, label: value }))}
            onChange={(text) => setForm({ ...form, rectifier: text as Rectifier })}
          />
        </Grid>
        <Trouble error={trouble} />
        <Flex gap={3}>
          <LitButton type="submit" loading={busy}>
            Keep the sheet
          </LitButton>
        </Flex>
      </Stack>
    </form>
  );
}

function BandRow({ band, onChange }: { band: Band; onChange: (change: Partial<Band>) => void }) {
  return (
    <Grid templateColumns="1.4fr 1fr 1fr 1fr 1fr auto" gap={3} alignItems="end">
      <FormRow
        label="Band"
        value={band.name}
        placeholder="Broadcast"
        onChange={(name) => onChange({ name })}
      />
      <FormRow
        label="from (kHz)"
        value={band.low}
        placeholder="540"
        onChange={(low) => onChange({ low })}
      />
      <FormRow
        label="to (kHz)"
        value={band.high}
        placeholder="1600"
        onChange={(high) => onChange({ high })}
      />
      <FormRow
        label="low mark"
        value={band.low_mark ?? ""}
        placeholder="600"
        onChange={(low_mark) => onChange({ low_mark })}
      />
      <FormRow
        label="high mark"
        value={band.high_mark ?? ""}
        placeholder="1400"
        onChange={(high_mark) => onChange({ high_mark })}
      />
      <Checkbox.Root
        checked={band.padder ?? true}
        onCheckedChange={(change) => onChange({ padder: change.checked === true })}
        h="44px"
      >
        <Checkbox.HiddenInput />
        <Checkbox.Control
          borderColor="dim"
          _checked={{ bg: "glow", color: "onGlow", borderColor: "glow" }}
        />
        <Checkbox.Label fontSize="15px">padder</Checkbox.Label>
      </Checkbox.Root>
    </Grid>
  );
}
