import { who, setWho } from "../api/client";
import { FormDialog } from "../shared/FormDialog";
import type { OpenJob } from "./useJob";

const KEYS = [
  ["Enter", "keep what stands in the input, or say that it is so"],
  ["F1", "park what you saw: not now, not lost"],
  ["F2", "take the reading at the bench"],
  ["F3", "the value watched now into the input; a foot switch may type it"],
  ["↑ ↓", "turn the adjuster a little; with Shift four times as far; in a table, row by row"],
  ["F4", "close the step with a reason"],
  ["F6 F7", "watch what the step peaks by, the AVC volts otherwise; let its tone be heard"],
  ["F8", "open or close the log"],
  ["F9", "to what is next"],
  ["Shift+F9", "all steps of this stage at a glance; there a digit goes to each"],
  ["F10", "something is wrong: all outputs off at once, and the alarm"],
  ["PgUp PgDn", "one step back, one step on"],
  ["1 ... 9 0", "on the journey scale: to that stop; arrows move along it"],
];

/** The short forms over the job page, one at a time. */
export function JobDialogs({ open }: { open: OpenJob }) {
  const { step, state, writing } = open;
  const onClose = () => open.open(null);
  switch (state.dialog) {
    case "close":
      return step && <CloseDialog open={open} onClose={onClose} />;
    case "park":
      return (
        <FormDialog
          title="Park: seen, not now"
          words="It waits in the registers and comes up again before handover."
          fields={[
            { name: "what", label: "What you saw", kind: "text", placeholder: "R14 looks browned" },
            { name: "where", label: "Where", kind: "text", placeholder: "behind V3" },
          ]}
          submit="Park it"
          onSubmit={(v) =>
            writing.write(
              "/api/jobs/{job_id}/registers/{register}",
              {
                line: "",
                step: step?.key ?? "",
                fields: { what: v.what ?? "", where: v.where ?? "" },
              },
              { register: "parked" },
            )
          }
          onClose={onClose}
        />
      );
    case "wrong":
      return (
        <FormDialog
          title="▲ Something is wrong"
          words="Switch off first. The alarm stands over the whole job until its cause is found."
          fields={[
            {
              name: "sign",
              label: "What",
              kind: "choice",
              choices: open.job.signs.map((sign) => ({ value: sign, label: sign })),
            },
            { name: "words", label: "Where, or what it was", kind: "text" },
          ]}
          submit="Raise the alarm"
          onSubmit={(v) =>
            writing.write("/api/jobs/{job_id}/alarms", {
              step: step?.key ?? "",
              sign: v.sign ?? "",
              words: v.words ?? "",
            })
          }
          onClose={onClose}
        />
      );
    case "reopen":
      return (
        <FormDialog
          title="Open the job again"
          words="What was told at the handover stays with the job. From here on it is judged as any open job, and handed over anew."
          fields={[
            {
              name: "reason",
              label: "Because",
              kind: "text",
              placeholder: "came back: hum after an hour",
            },
          ]}
          submit="Open it again"
          onSubmit={(v) =>
            writing.write("/api/jobs/{job_id}/reopenings", { reason: v.reason ?? "" })
          }
          onClose={onClose}
        />
      );
    case "who":
      return (
        <FormDialog
          title="Who is at the bench"
          words="Kept with every reading from now on."
          fields={[{ name: "who", label: "Name", kind: "text", initial: who() }]}
          submit="Keep"
          onSubmit={(v) => {
            setWho(v.who ?? "");
            return Promise.resolve();
          }}
          onClose={onClose}
        />
      );
    case "keys":
      return (
        <FormDialog
          title="Keys"
          words={KEYS.map(([key, words]) => `${key}: ${words}`).join("\n")}
          fields={[]}
          submit="Good"
          onSubmit={() => Promise.resolve()}
          onClose={onClose}
        />
      );
    default:
      return null;
  }
}

function CloseDialog({ open, onClose }: { open: OpenJob; onClose: () => void }) {
  const { step, writing } = open;
  if (!step) return null;
  return (
    <FormDialog
      title="Good enough: close with a reason"
      words={step.cost ? `It costs: ${step.cost}.` : step.title}
      fields={[
        {
          name: "reason",
          label: "Because",
          kind: "long",
          placeholder: "the owner listens to one station only",
        },
        { name: "by", label: "Decided by", kind: "text", placeholder: "owner, by telephone" },
      ]}
      submit="Close the step"
      onSubmit={(v) =>
        writing
          .write("/api/jobs/{job_id}/closures", {
            step: step.key,
            reason: v.reason ?? "",
            decided_by: v.by ?? "",
          })
          .then(open.toNext)
      }
      onClose={onClose}
    />
  );
}
