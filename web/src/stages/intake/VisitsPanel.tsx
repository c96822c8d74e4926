import { Box, Heading, Text } from "@chakra-ui/react";
import { Link } from "react-router";

import type { Job } from "../../api/client";

/** Earlier visits of the same set: what recurs is suspect. */
export function VisitsPanel({ job }: { job: Job }) {
  if (job.visits.length === 0) return null;
  return (
    <Box as="section" aria-label="Earlier visits" data-testid="visits">
      <Heading as="h3" fontSize="20px" fontWeight={500}>
        Earlier visits of this set
      </Heading>
      {job.visits.map((visit) => (
        <Box key={visit.job_id} py={1}>
          <Text color="glow" textDecoration="underline" minH="24px">
            <Link to={`/jobs/${visit.job_id}/report`}>
              {new Date(visit.opened_at).toLocaleDateString()}
            </Link>
          </Text>
          <Text>{visit.complaint || "no complaint noted"}</Text>
          {visit.changed.map((line) => (
            <Text key={line} fontSize="15px" color="dim">
              changed: {line}
            </Text>
          ))}
          {visit.proved.map((line) => (
            <Text key={line} fontSize="15px" color="dim">
              as it left: {line}
            </Text>
          ))}
        </Box>
      ))}
    </Box>
  );
}
