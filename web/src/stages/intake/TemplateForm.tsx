import { Box, Checkbox, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { client, once, type Schemas, unwrap } from "../../api/client";
import { optionsQuery } from "../../api/queries";
import { Choice } from "../../shared/Choice";
import { FormRow } from "../../shared/FormRow";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";
import { LitButton, PlainButton } from "../../shared/Buttons";

type Form = Schemas["TemplateForm"];
type Band = Schemas["BandForm"];
type Texts = Exclude<keyof Form, "bands" | "chassis" | "rectifier" | "topology">;

type Chassis = NonNullable<Form["chassis"]>;
type Topology = NonNullable<Form["topology"]>;
type Rectifier = NonNullable<Form["rectifier"]>;

const BAND: Band = { name: "", low: "", high: "", low_mark: "", high_mark: "", padder: true };
const EMPTY: Form = {
  maker: "",
  model: "",
  chassis: "mains transformer",
  rectifier: "vacuum",
  topology: "full-wave, centre tap",
  tap_current: "",
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

/** The commonest circuit, filled in with only what the service data gives. */
export function TemplateForm({ onKept }: { onKept: (id: number) => Promise<void> }) {
  const [form, setForm] = useState<Form>(EMPTY);
  const { busy, trouble, attempt } = useAttempt();
  const first = useRef<HTMLInputElement>(null);
  const { data: options } = useQuery(optionsQuery);
  useEffect(() => first.current?.focus(), [options]);
  const fields = (group: string) => (options?.template ?? []).filter((f) => f.group === group);
  const rows = (group: string) =>
    fields(group).map(({ name, label, example }, n) => (
      <FormRow
        key={name}
        {...(group === "model" && n === 0 ? { hold: first } : {})}
        label={label}
        placeholder={example}
        value={form[name as Texts] ?? ""}
        onChange={(text) => setForm({ ...form, [name]: text })}
      />
    ));
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
          missed. Of a centre-tapped winding give the volts of one half.
        </Text>
        <Grid templateColumns="repeat(4, 1fr)" gap={3}>
          {rows("model")}
          <Choice
            label="Runs from"
            value={form.chassis ?? "mains transformer"}
            choices={(options?.chassis ?? []).map((value) => ({ value, label: value }))}
            onChange={(text) => setForm({ ...form, chassis: text as Chassis })}
          />
        </Grid>
        {form.bands.map((band, n) => (
          <BandRow
            key={n}
            fields={fields("band")}
            band={band}
            onChange={(change) => putBand(n, change)}
          />
        ))}
        <Box>
          <PlainButton
            disabled={form.bands.length === options?.most_bands}
            onClick={() => setForm({ ...form, bands: [...form.bands, BAND] })}
          >
            Another band
          </PlainButton>
        </Box>
        <Heading as="h2" fontSize="20px" fontWeight={500}>
          Supply and sensitivity, as far as they are given
        </Heading>
        <Grid templateColumns="repeat(4, 1fr)" gap={3}>
          {rows("supply")}
          <Choice
            label="Feeds the rectifier"
            value={form.topology ?? "full-wave, centre tap"}
            choices={(options?.topologies ?? []).map((value) => ({ value, label: value }))}
            onChange={(text) => setForm({ ...form, topology: text as Topology })}
          />
          <Choice
            label="Rectifier"
            value={form.rectifier ?? "vacuum"}
            choices={(options?.rectifiers ?? []).map((value) => ({ value, label: value }))}
            onChange={(text) => setForm({ ...form, rectifier: text as Rectifier })}
          />
        </Grid>
        <Trouble error={trouble} />
        <Flex gap={3}>
          <LitButton type="submit" busy={busy}>
            Keep the sheet
          </LitButton>
        </Flex>
      </Stack>
    </form>
  );
}

type BandTexts = Exclude<keyof Band, "padder">;
type BandProps = {
  fields: Schemas["FormFieldOption"][];
  band: Band;
  onChange: (change: Partial<Band>) => void;
};

function BandRow({ fields, band, onChange }: BandProps) {
  return (
    <Grid templateColumns="1.4fr 1fr 1fr 1fr 1fr auto" gap={3} alignItems="end">
      {fields.map(({ name, label, example }) => (
        <FormRow
          key={name}
          label={label}
          value={band[name as BandTexts] ?? ""}
          placeholder={example}
          onChange={(text) => onChange({ [name]: text })}
        />
      ))}
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
