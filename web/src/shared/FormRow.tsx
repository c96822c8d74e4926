import { Field, Input } from "@chakra-ui/react";
import type { Ref } from "react";

type Props = {
  label: string;
  value: string;
  onChange: (value: string) => void;
  placeholder?: string;
  help?: string;
  hold?: Ref<HTMLInputElement>;
  name?: string;
};

/** A labelled line of text in the house style. */
export function FormRow({ label, value, onChange, placeholder, help, hold, name }: Props) {
  return (
    <Field.Root>
      <Field.Label fontSize="15px">{label}</Field.Label>
      <Input
        ref={hold}
        name={name}
        h="44px"
        bg="raised"
        borderColor="edge"
        fontSize="16px"
        value={value}
        placeholder={placeholder ?? ""}
        _placeholder={{ color: "dim", opacity: 0.7 }}
        autoComplete="off"
        onChange={(event) => onChange(event.target.value)}
      />
      {help && (
        <Field.HelperText color="dim" fontSize="14px">
          {help}
        </Field.HelperText>
      )}
    </Field.Root>
  );
}
