import { Stack } from "@chakra-ui/react";

import type { Step } from "../api/client";
import { type PanelProps, PANELS } from "./panels";
import { RegisterPanel } from "./RegisterPanel";

type Props = PanelProps & { step: Step };

/** What is worked or shown beside a step: its stage's panels, and registers by their names. */
export default function Panels(props: Props) {
  const { job, step, writing } = props;
  return (
    <Stack gap={3}>
      {step.panels.map((name) => {
        const panel = PANELS.find((p) => p.name === name);
        if (panel) return <panel.Component key={name} {...props} />;
        return (
          <RegisterPanel
            key={name}
            jobId={job.job_id}
            name={name}
            stepKey={step.key}
            writing={writing}
          />
        );
      })}
    </Stack>
  );
}
