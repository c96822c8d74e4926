import { Field, NativeSelect } from "@chakra-ui/react";
import type { Ref } from "react";

type Props = {
  label: string;
  name?: string;
  value: string;
  onChange: (value: string) => void;
  choices: { value: string; label: string }[];
  hold?: Ref<HTMLSelectElement>;
};

/** One of a few, in the house style; the browser's own list, so every key works. */
export function Choice({ label, name, value, onChange, choices, hold }: Props) {
  return (
    <Field.Root>
      <Field.Label fontSize="15px">{label}</Field.Label>
      <NativeSelect.Root>
        <NativeSelect.Field
          {...(hold ? { ref: hold } : {})}
          {...(name ? { name } : {})}
          h="44px"
          bg="raised"
          borderColor="edge"
          fontSize="16px"
          value={value}
          onChange={(event) => onChange(event.currentTarget.value)}
        >
          {choices.map((choice) => (
            <option key={choice.value} value={choice.value}>
              {choice.label}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Field.Root>
  );
}
