import { Field, Textarea } from "@chakra-ui/react";

type Props = {
  label: string;
  value: string;
  onChange: (value: string) => void;
  placeholder?: string;
};

/** Several lines of an open document, in figures of even width. */
export function LongRow({ label, value, onChange, placeholder }: Props) {
  return (
    <Field.Root>
      <Field.Label fontSize="15px">{label}</Field.Label>
      <Textarea
        rows={3}
        fontFamily="mono"
        fontSize="14px"
        bg="raised"
        borderColor="edge"
        placeholder={placeholder ?? ""}
        _placeholder={{ color: "dim" }}
        value={value}
        onChange={(event) => onChange(event.target.value)}
        spellCheck={false}
      />
    </Field.Root>
  );
}
