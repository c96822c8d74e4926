import { Box, Checkbox, Field, Flex, Grid, Heading, Stack, Text, Textarea } from "@chakra-ui/react";
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
/** What is not filled in takes the server's own defaults. */
type Draft = Partial<Omit<Form, "bands">> & { bands: BandDraft[] };
type Band = Schemas["BandForm"];
type BandTexts = "name" | "low" | "high" | "low_mark" | "high_mark";
type BandDraft = Pick<Band, BandTexts> & Partial<Band>;
type Names = Exclude<keyof Form, "bands" | "traits">;
type Trait = NonNullable<Form["traits"]>[number];

const BAND: BandDraft = { name: "", low: "", high: "", low_mark: "", high_mark: "" };
const EMPTY: Draft = {
  maker: "",
  model: "",
  intermediate_frequency: "",
  bands: [{ ...BAND, name: "Broadcast" }],
};

/** The commonest circuit, filled in with only what the service data gives. */
export function TemplateForm({ onKept }: { onKept: (id: number) => Promise<void> }) {
  const [form, setForm] = useState<Draft>(EMPTY);
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
        value={form[name as Names] ?? ""}
        onChange={(text) => setForm({ ...form, [name]: text })}
      />
    ));
  const choices = (group: string) =>
    (options?.template_choices ?? [])
      .filter((c) => c.group === group)
      .map(({ name, label, options: offered }) => (
        <Choice
          key={name}
          name={name}
          label={label}
          value={form[name as Names] ?? offered[0] ?? ""}
          choices={offered.map((value) => ({ value, label: value }))}
          onChange={(value) => setForm({ ...form, [name]: value })}
        />
      ));
  const tick = (trait: string, on: boolean) => {
    const others = (form.traits ?? []).filter((t) => t !== trait);
    setForm({ ...form, traits: on ? [...others, trait as Trait] : others });
  };
  const putBand = (index: number, change: Partial<BandDraft>) =>
    setForm({
      ...form,
      bands: form.bands.map((band, n) => (n === index ? { ...band, ...change } : band)),
    });
  const send = () =>
    attempt(form, async (key) => {
      const { id } = await unwrap(
        client.POST("/api/sheets/from-template", { headers: once(key), body: form as Form }),
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
          Converter, two IF transformers, diode detector with AVC, output, one supply. Fill in what
          the service data gives and leave the rest empty; what is missing is said where it is
          missed. Of a centre-tapped winding give the volts of one half.
        </Text>
        <Grid templateColumns="repeat(6, 1fr)" gap={3} alignItems="end">
          {rows("model")}
          {choices("model")}
        </Grid>
        {form.bands.map((band, n) => (
          <BandRow
            key={n}
            fields={fields("band")}
            choices={(options?.template_choices ?? []).filter((c) => c.group === "band")}
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
          Tubes or transistors, and what is dangerous in this set
        </Heading>
        <Grid templateColumns="2fr 1fr" gap={3}>
          <Field.Root>
            <Field.Label fontSize="15px">
              One a line: place, type, what it does, its heater, direct if it is; what it draws of
              B+, from first or last filter
            </Field.Label>
            <Textarea
              name="line_up"
              rows={5}
              bg="raised"
              borderColor="edge"
              fontFamily="mono"
              fontSize="15px"
              placeholder={options?.line_up_example ?? ""}
              value={form.line_up ?? ""}
              onChange={(event) => setForm({ ...form, line_up: event.target.value })}
              spellCheck={false}
            />
          </Field.Root>
          <Stack gap={2}>
            {choices("heaters")}
            {rows("heaters")}
          </Stack>
        </Grid>
        <Flex gap={5} wrap="wrap">
          {(options?.template_traits ?? []).map(({ value, label }) => (
            <Tick
              key={value}
              label={label}
              on={(form.traits ?? []).includes(value as Trait)}
              onChange={(on) => tick(value, on)}
            />
          ))}
        </Flex>
        <Heading as="h2" fontSize="20px" fontWeight={500}>
          Supply and sensitivity, as far as they are given
        </Heading>
        <Grid templateColumns="repeat(4, 1fr)" gap={3}>
          {rows("supply")}
          {choices("supply")}
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

type BandProps = {
  fields: Schemas["FormFieldOption"][];
  choices: Schemas["FormChoiceOption"][];
  band: BandDraft;
  onChange: (change: Partial<BandDraft>) => void;
};

function BandRow({ fields, choices, band, onChange }: BandProps) {
  return (
    <Grid templateColumns="repeat(5, minmax(0, 1fr))" gap={3} alignItems="end">
      {fields.map(({ name, label, example }) => (
        <FormRow
          key={name}
          label={label}
          value={band[name as BandTexts] ?? ""}
          placeholder={example}
          onChange={(text) => onChange({ [name]: text })}
        />
      ))}
      {choices.map(({ name, label, options }) => (
        <Choice
          key={name}
          name={name}
          label={label}
          value={band[name as keyof BandDraft] ?? options[0] ?? ""}
          choices={options.map((value) => ({ value, label: value }))}
          onChange={(value) => onChange({ [name]: value })}
        />
      ))}
    </Grid>
  );
}

type TickProps = { label: string; on: boolean; onChange: (on: boolean) => void };

function Tick({ label, on, onChange }: TickProps) {
  return (
    <Checkbox.Root
      checked={on}
      onCheckedChange={(change) => onChange(change.checked === true)}
      h="44px"
    >
      <Checkbox.HiddenInput />
      <Checkbox.Control
        borderColor="dim"
        _checked={{ bg: "glow", color: "onGlow", borderColor: "glow" }}
      />
      <Checkbox.Label fontSize="15px">{label}</Checkbox.Label>
    </Checkbox.Root>
  );
}
