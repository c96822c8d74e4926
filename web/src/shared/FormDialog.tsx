import { Checkbox, Dialog, Field, Input, Portal, Stack, Text, Textarea } from "@chakra-ui/react";
import { useRef, useState } from "react";

import { askedControl } from "./asked";
import { Choice } from "./Choice";
import { Trouble } from "./Trouble";
import { BareButton, LitButton } from "./Buttons";

export type DialogField = {
  name: string;
  label: string;
  kind: "text" | "long" | "choice" | "yes";
  placeholder?: string;
  choices?: { value: string; label: string }[];
  initial?: string;
};

type Props = {
  title: string;
  words?: string;
  fields: DialogField[];
  submit: string;
  onSubmit: (values: Record<string, string>) => Promise<unknown>;
  onClose: () => void;
};

/** A short form over the page; Escape leaves it, Enter sends it, what was typed stays on trouble. */
export function FormDialog({ title, words, fields, submit, onSubmit, onClose }: Props) {
  const [values, setValues] = useState<Record<string, string>>(
    Object.fromEntries(fields.map((f) => [f.name, f.initial ?? f.choices?.[0]?.value ?? ""])),
  );
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const first = useRef<HTMLElement | null>(null);
  const send = async (event: React.FormEvent) => {
    event.preventDefault();
    if (busy) return;
    setBusy(true);
    try {
      await onSubmit(values);
      onClose();
    } catch (error) {
      setTrouble(error);
      setBusy(false);
    }
  };
  const put = (name: string, value: string) => setValues({ ...values, [name]: value });
  return (
    <Dialog.Root
      open
      onOpenChange={(change) => !change.open && onClose()}
      initialFocusEl={() => first.current}
      finalFocusEl={askedControl}
    >
      <Portal>
        <Dialog.Backdrop bg="blackAlpha.600" />
        <Dialog.Positioner>
          <Dialog.Content bg="panel" color="ink" borderWidth="1px" borderColor="edge">
            <form onSubmit={send} noValidate>
              <Dialog.Header pb={1}>
                <Dialog.Title fontFamily="heading" fontSize="22px">
                  {title}
                </Dialog.Title>
              </Dialog.Header>
              <Dialog.Body>
                <Stack gap={3}>
                  {words && (
                    <Text color="dim" whiteSpace="pre-line">
                      {words}
                    </Text>
                  )}
                  {fields.map((field, n) => (
                    <DialogInput
                      key={field.name}
                      field={field}
                      value={values[field.name] ?? ""}
                      onChange={(value) => put(field.name, value)}
                      hold={(element) => {
                        if (n === 0) first.current = element;
                      }}
                    />
                  ))}
                  <Trouble error={trouble} />
                </Stack>
              </Dialog.Body>
              <Dialog.Footer>
                <BareButton onClick={onClose}>Leave</BareButton>
                <LitButton type="submit" busy={busy}>
                  {submit}
                </LitButton>
              </Dialog.Footer>
            </form>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

type InputProps = {
  field: DialogField;
  value: string;
  onChange: (value: string) => void;
  hold: (element: HTMLElement | null) => void;
};

function DialogInput({ field, value, onChange, hold }: InputProps) {
  if (field.kind === "yes") {
    return (
      <Checkbox.Root
        checked={value === "yes"}
        onCheckedChange={(change) => onChange(change.checked === true ? "yes" : "")}
        minH="44px"
      >
        <Checkbox.HiddenInput ref={hold} />
        <Checkbox.Control
          borderColor="dim"
          _checked={{ bg: "glow", color: "onGlow", borderColor: "glow" }}
        />
        <Checkbox.Label fontSize="16px">{field.label}</Checkbox.Label>
      </Checkbox.Root>
    );
  }
  if (field.kind === "choice") {
    return (
      <Choice
        label={field.label}
        name={field.name}
        value={value}
        onChange={onChange}
        choices={field.choices ?? []}
        hold={hold}
      />
    );
  }
  const shared = {
    value,
    name: field.name,
    placeholder: field.placeholder ?? "",
    onChange: (event: React.ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) =>
      onChange(event.target.value),
    bg: "raised",
    borderColor: "edge",
    fontSize: "16px",
    _placeholder: { color: "dim" },
  };
  return (
    <Field.Root>
      <Field.Label fontSize="15px">{field.label}</Field.Label>
      {field.kind === "long" && <Textarea ref={hold} rows={3} {...shared} />}
      {field.kind === "text" && <Input ref={hold} h="44px" {...shared} />}
    </Field.Root>
  );
}
