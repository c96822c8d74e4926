import { Box, Heading } from "@chakra-ui/react";

import type { Panel } from "../../journey/panels";
import { MatrixPanel } from "./MatrixPanel";
import { VisitsPanel } from "./VisitsPanel";

export const panels: Panel[] = [
  {
    name: "matrix",
    onRegisters: true,
    Component: ({ job, step, writing }) => (
      <Box>
        {!step && (
          <Heading as="h3" fontSize="20px" fontWeight={500}>
            Function matrix
          </Heading>
        )}
        <MatrixPanel jobId={job.job_id} writing={writing} />
      </Box>
    ),
  },
  { name: "visits", onRegisters: true, Component: ({ job }) => <VisitsPanel job={job} /> },
];
