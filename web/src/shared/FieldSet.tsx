import { Box, Button, Flex, Grid, Input, Text, Textarea } from "@chakra-ui/react";
import { useEffect, useRef } from "react";

import type { Schemas } from "../api/client";
import { takeFocus } from "./asked";
import { Choice } from "./Choice";
import { KeyHint } from "./KeyHint";
import { TraceSource } from "./TraceSource";

export type FieldData = Schemas["FieldShape"];
type Values = Record<string, string>;

type Props = {
  fields: FieldData[];
  values: Values;
  onChange: (values: Values) => void;
  /** Said in the first empty text. */
  example?: string;
  /** Told when a choice was made with its key, so that a form of one choice can be sent. */
  onChosen?: (values: Values) => void;
  focus?: boolean;
  /** Tells two sets of fields on one page apart. */
  id: string;
};

const MOST_BUTTONS = 5;

/** Whether a choice is shown as buttons, each with its letter, or as a list. */
export const asButtons = (field: FieldData) =>
  field.options.length > 0 && field.options.length <= MOST_BUTTONS;

/** Choices of many words stand under their label. */
const long = (field: FieldData) => field.options.join("").length > 44;

/** The key of each choice: the first of its letters that no other before it has. */
export function letters(options: string[]): string[] {
  const taken: string[] = [];
  for (const option of options) {
    const own = [...option.toLowerCase()].filter((c) => /[a-z0-9]/.test(c));
    taken.push(own.find((c) => !taken.includes(c)) ?? own[0] ?? "");
  }
  return taken;
}

/** What a form begins with: choices in a list stand at their first option. */
export const initialValues = (fields: FieldData[]): Values =>
  Object.fromEntries(
    fields
      .filter((f) => f.options.length > 0 && !asButtons(f))
      .map((f) => [f.name, f.options[0] ?? ""]),
  );

/** The fields of a question or a register, each with the control that suits it. */
export function FieldSet({ fields, values, onChange, example, onChosen, focus, id }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const pairs = fields.filter((f) => !asButtons(f) && !f.multiline).length > 1;
  useEffect(() => {
    if (!focus) return;
    takeFocus(box.current?.querySelector<HTMLElement>("input, textarea, select, [role=radio]"));
  }, [focus]);
  const put = (name: string, value: string) => {
    const next = { ...values, [name]: value };
    onChange(next);
    return next;
  };
  /** On to the next control, or to the button that sends the form. */
  const goOn = (from: HTMLElement) => {
    const form = from.closest("form");
    const all = [
      ...(form?.querySelectorAll<HTMLElement>(
        "input, textarea, select, [role=radiogroup] > [role=radio]:first-of-type, [type=submit]",
      ) ?? []),
    ];
    const here = all.findIndex((e) => from.contains(e));
    all[here + 1]?.focus();
  };
  return (
    <Grid
      ref={box}
      gap={2}
      alignItems="end"
      templateColumns={pairs ? "minmax(0, 1fr) minmax(0, 1fr)" : "minmax(0, 1fr)"}
    >
      {fields.map((field, n) =>
        asButtons(field) ? (
          <Flex
            key={field.name}
            role="radiogroup"
            aria-label={field.label}
            gridColumn="1 / -1"
            align="center"
            gap={2}
            wrap="wrap"
            onKeyDown={(event) => {
              const option = field.options[letters(field.options).indexOf(event.key.toLowerCase())];
              if (!option || !/^[a-z0-9]$/i.test(event.key)) return;
              event.preventDefault();
              const next = put(field.name, option);
              onChosen?.(next);
              goOn(event.currentTarget);
            }}
          >
            {fields.length > 1 && (
              <Text w={long(field) ? "100%" : "190px"} fontSize="15px" lineHeight={1.2}>
                {field.label}
              </Text>
            )}
            {field.options.map((option, at) => (
              <Button
                key={option}
                role="radio"
                aria-checked={values[field.name] === option}
                h="44px"
                px={3}
                variant="outline"
                borderColor={values[field.name] === option ? "glow" : "edge"}
                color={values[field.name] === option ? "onGlow" : "ink"}
                bg={values[field.name] === option ? "glow" : "raised"}
                onClick={() => onChosen?.(put(field.name, option))}
              >
                {option} <KeyHint keys={letters(field.options)[at] ?? ""} />
              </Button>
            ))}
          </Flex>
        ) : field.options.length > 0 ? (
          <Choice
            key={field.name}
            name={field.name}
            label={field.label}
            value={values[field.name] ?? field.options[0] ?? ""}
            onChange={(value) => put(field.name, value)}
            choices={field.options.map((o) => ({ value: o, label: o }))}
          />
        ) : (
          <Typed
            key={field.name}
            id={`${id}-${field.name}`}
            field={field}
            value={values[field.name] ?? ""}
            placeholder={n === 0 ? (example ?? "") : ""}
            lit={n === 0}
            onChange={(value) => put(field.name, value)}
            seconds={values.pass ?? ""}
          />
        ),
      )}
    </Grid>
  );
}

type TypedProps = {
  id: string;
  field: FieldData;
  value: string;
  placeholder: string;
  lit: boolean;
  onChange: (value: string) => void;
  /** How long a trace is to be, where one is taken. */
  seconds: string;
};

function Typed({ id, field, value, placeholder, lit, onChange, seconds }: TypedProps) {
  const shared = {
    id,
    name: field.name,
    value,
    placeholder,
    _placeholder: { color: "dim" },
    bg: "raised",
    borderColor: lit ? "glow" : "edge",
    fontSize: "16px",
    autoComplete: "off",
    onChange: (event: React.ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) =>
      onChange(event.target.value),
  };
  return (
    <Box gridColumn={field.multiline ? "1 / -1" : "auto"}>
      <Text asChild fontSize="15px" color="dim">
        <label htmlFor={id}>
          {field.label}
          {field.unit ? ` (${field.unit})` : ""}
          {field.required ? "" : ", may stay empty"}
        </label>
      </Text>
      {field.multiline ? (
        <Textarea rows={2} {...shared} fontFamily={field.table ? "mono" : "body"} />
      ) : (
        <Input h="44px" fontFamily={field.unit ? "mono" : "body"} {...shared} />
      )}
      {field.table && <TraceSource seconds={seconds} onText={onChange} />}
    </Box>
  );
}
