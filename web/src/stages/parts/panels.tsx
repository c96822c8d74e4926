import type { Panel } from "../../journey/panels";
import { PartsPanel } from "./PartsPanel";

export const panels: Panel[] = [
  {
    name: "parts",
    Component: ({ job, step, asked, onPick }) => {
      const asks = step ? [...(step.ask ? [step.ask] : []), ...step.others] : [];
      const open = asks.map((ask) => ask.key);
      return <PartsPanel jobId={job.job_id} asked={asked} open={open} onPick={onPick} />;
    },
  },
];
