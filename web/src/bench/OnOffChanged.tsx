import { Flex, Heading, Stack, Text } from "@chakra-ui/react";
import { useState } from "react";

import type { Job } from "../api/client";
import type { Writing } from "../journey/useWrite";
import { FormDialog } from "../shared/FormDialog";
import { Trouble } from "../shared/Trouble";
import { PlainButton } from "../shared/Buttons";

type Props = { job: Job; stepKey: string; writing: Writing };
type Which = "clip" | "change" | "move" | "note" | null;

/** What is clipped on and switched off now, and the entries that no step asks for. */
export function OnOffChanged({ job, stepKey, writing }: Props) {
  const [which, setWhich] = useState<Which>(null);
  const [trouble, setTrouble] = useState<unknown>(null);
  const on = job.temporaries.filter((t) => t.on);
  const off = job.switched_off.filter((s) => s.off);
  // where nothing is on, there is nothing to read
  const held = on.length + off.length > 0;
  const attempt = (done: Promise<unknown>) => {
    done.then(() => setTrouble(null), setTrouble);
  };
  return (
    <Stack
      as="section"
      aria-label="On, off and changed"
      bg="panel"
      px={4}
      py={3}
      gap={1}
      flexShrink={0}
    >
      {held && (
        <Heading fontSize="20px" fontWeight={500}>
          On, off and changed
        </Heading>
      )}
      <Stack gap={1} overflowY="auto" minH={0}>
        {on.map((t) => (
          <Flex key={t.id} gap={2} align="center" data-testid="temporary">
            <Text flex="1" fontSize="15px" lineHeight={1.2}>
              {t.what}: {t.place}
              {t.wanted_under_power ? "" : " (not under power)"}
            </Text>
            <PlainButton
              onClick={() =>
                attempt(
                  writing.write(
                    "/api/jobs/{job_id}/temporary-connections/{record_id}/removal",
                    {},
                    { record_id: t.id },
                  ),
                )
              }
            >
              Take off
            </PlainButton>
          </Flex>
        ))}
        {off.map((s) => (
          <Flex key={s.id} gap={2} align="center">
            <Text flex="1" fontSize="15px" lineHeight={1.2}>
              {s.what}
            </Text>
            <PlainButton
              onClick={() =>
                attempt(
                  writing.write(
                    "/api/jobs/{job_id}/switched-off/{record_id}/restoration",
                    {},
                    { record_id: s.id },
                  ),
                )
              }
            >
              Put back
            </PlainButton>
          </Flex>
        ))}
      </Stack>
      {!job.closed_at && (
        <Flex gap={2} wrap="wrap" mt="auto">
          <Entry words="Clipped on" onClick={() => setWhich("clip")} />
          <Entry words="Part or cabinet" onClick={() => setWhich("change")} />
          {!job.bench_turns && <Entry words="Turned" onClick={() => setWhich("move")} />}
          <Entry words="Remark" onClick={() => setWhich("note")} />
        </Flex>
      )}
      <Trouble error={trouble} />
      {which && (
        <RegisterDialog
          which={which}
          job={job}
          stepKey={stepKey}
          writing={writing}
          onClose={() => setWhich(null)}
        />
      )}
    </Stack>
  );
}

function Entry({ words, onClick }: { words: string; onClick: () => void }) {
  return (
    <PlainButton px={3} fontSize="15px" onClick={onClick}>
      {words}
    </PlainButton>
  );
}

type DialogProps = Props & { which: Exclude<Which, null>; onClose: () => void };

function RegisterDialog({ which, job, stepKey, writing, onClose }: DialogProps) {
  const value = (values: Record<string, string>, name: string) => values[name] ?? "";
  if (which === "clip") {
    return (
      <FormDialog
        title="Clipped on"
        words="A clip lead, jumper, lifted lead or pulled cap. Power and handover wait for it unless it is wanted under power."
        fields={[
          { name: "what", label: "What", kind: "text", placeholder: "jumper" },
          { name: "place", label: "Where", kind: "text", placeholder: "V2 grid to chassis" },
          { name: "wanted", label: "It is wanted under power", kind: "yes" },
        ]}
        submit="Keep"
        onSubmit={(v) =>
          writing.write("/api/jobs/{job_id}/temporary-connections", {
            what: value(v, "what"),
            place: value(v, "place"),
            wanted_under_power: value(v, "wanted") === "yes",
          })
        }
        onClose={onClose}
      />
    );
  }
  if (which === "change") {
    return (
      <FormDialog
        title="A part or the cabinet changed"
        words="Readings that rest on it become stale and are asked for again."
        fields={[
          {
            name: "what",
            label: "What changed",
            kind: "choice",
            choices: job.changeables.map((c) => ({ value: c, label: c })),
          },
          {
            name: "note",
            label: "What was done",
            kind: "text",
            placeholder: "first filter capacitor renewed",
          },
        ]}
        submit="Keep"
        onSubmit={(v) =>
          writing.write("/api/jobs/{job_id}/changes", {
            what: value(v, "what"),
            note: value(v, "note"),
          })
        }
        onClose={onClose}
      />
    );
  }
  if (which === "move") {
    return (
      <FormDialog
        title="An adjuster was turned"
        words="Outside a step's own entry, so that the ledger stays whole."
        fields={[
          {
            name: "adjuster",
            label: "Adjuster",
            kind: "choice",
            choices: job.adjusters.map((a) => ({ value: a.key, label: a.name })),
          },
          { name: "turns", label: "Turns, clockwise +", kind: "text", placeholder: "-3/8" },
        ]}
        submit="Book"
        onSubmit={(v) =>
          writing.write("/api/jobs/{job_id}/moves", {
            adjuster: value(v, "adjuster"),
            turns: value(v, "turns"),
            step: stepKey,
          })
        }
        onClose={onClose}
      />
    );
  }
  return (
    <FormDialog
      title="Remark"
      fields={[
        { name: "text", label: "What you saw", kind: "long", placeholder: "smells of hot wax" },
      ]}
      submit="Keep"
      onSubmit={(v) =>
        writing.write("/api/jobs/{job_id}/notes", { step: stepKey, text: value(v, "text") })
      }
      onClose={onClose}
    />
  );
}
