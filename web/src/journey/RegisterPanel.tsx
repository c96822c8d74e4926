import { Box, Flex, Heading, Image, Stack, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";

import type { Schemas } from "../api/client";
import { registersQuery } from "../api/queries";
import type { Writing } from "./useWrite";
import { LitButton, PlainButton } from "../shared/Buttons";
import { FieldSet, initialValues } from "../shared/FieldSet";
import { Trouble } from "../shared/Trouble";
import { PhotoPicker } from "./PhotoPicker";

type Register = Schemas["RegisterShape"];
type Line = Schemas["LineShape"];
type Props = { jobId: number; name: string; stepKey: string; writing: Writing };

/** One register of the job: its lines, and a form for one more or for one that is taken up again. */
export function RegisterPanel({ jobId, name, stepKey, writing }: Props) {
  const { data, error } = useQuery(registersQuery(jobId));
  const register = data?.registers.find((r) => r.name === name);
  const [open, setOpen] = useState<Line | "new" | null>(null);
  const [trouble, setTrouble] = useState<unknown>(null);
  const add = useRef<HTMLButtonElement>(null);
  const remove = (line: Line) =>
    void writing
      .write(
        "/api/jobs/{job_id}/registers/{register}/{line}/removal",
        {},
        { register: name, line: line.key },
      )
      .then(() => setTrouble(null), setTrouble);
  const keep = (line: string) => (fields: Record<string, string>) =>
    writing.write(
      "/api/jobs/{job_id}/registers/{register}",
      { line, step: stepKey, fields },
      { register: name },
    );
  const done = () => {
    setOpen(null);
    add.current?.focus();
  };
  if (!register) return <Trouble error={error} />;
  return (
    <Stack
      as="section"
      gap={1}
      aria-label={register.title}
      borderTopWidth="1px"
      borderColor="edge"
      pt={2}
      data-testid={`register-${name}`}
    >
      <Flex gap={3} align="center" wrap="wrap">
        <Box flex="1" minW="200px">
          <Heading as="h3" fontSize="20px" fontWeight={500}>
            {register.title}
          </Heading>
          <Text color="dim" fontSize="15px" lineHeight={1.2}>
            {register.purpose}
          </Text>
        </Box>
        {register.pictures ? (
          <PhotoPicker stepKey={stepKey} writing={writing} />
        ) : (
          <PlainButton ref={add} onClick={() => setOpen("new")}>
            Add a line
          </PlainButton>
        )}
      </Flex>
      {open === "new" && (
        <LineForm register={register} line={null} onDone={done} onKeep={keep("")} />
      )}
      <Flex direction={register.pictures ? "row" : "column"} wrap="wrap" gap={2}>
        {register.lines.map((line) =>
          open !== null && open !== "new" && open.key === line.key ? (
            <LineForm
              key={line.key}
              register={register}
              line={line}
              onDone={done}
              onKeep={keep(line.key)}
            />
          ) : (
            <LineRow
              key={line.key}
              jobId={jobId}
              line={line}
              onOpen={() => setOpen(line)}
              onRemove={() => remove(line)}
            />
          ),
        )}
      </Flex>
      {register.lines.length === 0 && open === null && (
        <Text fontSize="15px" color="dim">
          Nothing is listed yet.
        </Text>
      )}
      <Trouble error={trouble} />
    </Stack>
  );
}

type RowProps = { jobId: number; line: Line; onOpen: () => void; onRemove: () => void };

function LineRow({ jobId, line, onOpen, onRemove }: RowProps) {
  return (
    <Flex gap={2} align="center" minW={line.photo_id ? "300px" : 0} data-testid="register-line">
      {line.photo_id && (
        <a href={`/api/jobs/${jobId}/photos/${line.photo_id}`} target="_blank" rel="noreferrer">
          <Image
            src={`/api/jobs/${jobId}/photos/${line.photo_id}?small=true`}
            alt={line.title}
            h="96px"
            borderWidth="1px"
            borderColor="edge"
          />
        </a>
      )}
      <Box flex="1" minW={0}>
        <Text fontSize="16px" lineHeight={1.2} whiteSpace="pre-line">
          {line.open ? "○ " : ""}
          {line.title}
        </Text>
        <Text fontSize="14px" color="dim" lineHeight={1.2}>
          {line.details}
        </Text>
      </Box>
      <PlainButton px={3} onClick={onOpen} aria-label={`Change ${line.title}`}>
        Change
      </PlainButton>
      <PlainButton px={3} onClick={onRemove} aria-label={`Take out ${line.title}`}>
        Take out
      </PlainButton>
    </Flex>
  );
}

type FormProps = {
  register: Register;
  line: Line | null;
  onKeep: (fields: Record<string, string>) => Promise<unknown>;
  onDone: () => void;
};

function LineForm({ register, line, onKeep, onDone }: FormProps) {
  const [values, setValues] = useState<Record<string, string>>(
    line ? line.fields : initialValues(register.fields),
  );
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  return (
    <Box asChild bg="raised" p={3} w="100%">
      <form
        noValidate
        onKeyDown={(event) => {
          if (event.key === "Escape") onDone();
          if (event.ctrlKey && event.key === "Enter") event.currentTarget.requestSubmit();
        }}
        onSubmit={(event) => {
          event.preventDefault();
          if (busy) return;
          setBusy(true);
          onKeep(values).then(onDone, (error: unknown) => {
            setTrouble(error);
            setBusy(false);
          });
        }}
      >
        <FieldSet
          id={`line-${register.name}`}
          focus
          fields={register.fields}
          values={values}
          onChange={setValues}
          example={register.example}
        />
        <Trouble error={trouble} />
        <Flex gap={2} mt={2}>
          <LitButton type="submit" busy={busy}>
            Keep the line
          </LitButton>
          <PlainButton onClick={onDone}>Leave</PlainButton>
        </Flex>
      </form>
    </Box>
  );
}
