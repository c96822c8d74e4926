import { Stack } from "@chakra-ui/react";

import type { Job, Step } from "../api/client";
import type { Writes } from "../journey/useWrites";
import { MatrixPanel } from "./MatrixPanel";
import { PartsPanel } from "./PartsPanel";
import { RegisterPanel } from "./RegisterPanel";
import { VisitsPanel } from "./VisitsPanel";

type Props = {
  job: Job;
  step: Step;
  asked: string;
  writes: Writes;
  onPick: (ask: string) => void;
};

/** The registers that are worked beside a step. */
export default function Panels({ job, step, asked, writes, onPick }: Props) {
  const open = [...(step.ask ? [step.ask] : []), ...step.others].map((ask) => ask.key);
  return (
    <Stack gap={3}>
      {step.key === "intake.story" && <VisitsPanel job={job} />}
      {step.panels.map((name) => {
        if (name === "matrix") {
          return <MatrixPanel key={name} jobId={job.job_id} writes={writes} />;
        }
        if (name === "parts") {
          return (
            <PartsPanel key={name} jobId={job.job_id} asked={asked} open={open} onPick={onPick} />
          );
        }
        return (
          <RegisterPanel
            key={name}
            jobId={job.job_id}
            name={name}
            stepKey={step.key}
            writes={writes}
          />
        );
      })}
    </Stack>
  );
}
