import type { Panel } from "../../journey/panels";
import { Proposals } from "./Proposals";

export const panels: Panel[] = [
  {
    name: "parts",
    Component: ({ job, step, asked }) =>
      step?.table?.rows.some((row) => row.ask === asked) ? (
        <Proposals jobId={job.job_id} part={asked} />
      ) : null,
  },
];
