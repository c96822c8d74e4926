import { Box } from "@chakra-ui/react";
import { Link } from "react-router";

import type { Panel } from "../../journey/panels";
import { PlainButton } from "../../shared/Buttons";

export const panels: Panel[] = [
  {
    name: "report-link",
    Component: ({ job }) => (
      <Box>
        <PlainButton asChild>
          <Link to={`/jobs/${job.job_id}/report`}>Open the report</Link>
        </PlainButton>
      </Box>
    ),
  },
];
