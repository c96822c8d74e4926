import type { Panel } from "../../journey/panels";
import { FmList } from "./FmList";
import { FmRun } from "./FmRun";

export const panels: Panel[] = [
  { name: "fm-list", Component: ({ writing }) => <FmList writing={writing} /> },
  ...["found", "left"].map((phase): Panel => ({
    name: `fm-run-${phase}`,
    Component: ({ job }) => <FmRun jobId={job.job_id} phase={phase} byHand={job.link === "hand"} />,
  })),
];
