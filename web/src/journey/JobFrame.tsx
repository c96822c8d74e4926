import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Outlet, useParams, useSearchParams } from "react-router";

import { jobQuery } from "../api/queries";
import { AlarmBanner } from "./AlarmBanner";

/** Every page of a job stands under its alarm, while one stands. */
function JobFrame() {
  const jobId = Number(useParams().jobId);
  const [search] = useSearchParams();
  const { data: job } = useQuery(jobQuery(jobId, search.get("step")));
  return (
    <Flex direction="column" h="100%" minH={0} className="page">
      {job?.alarm && <AlarmBanner key={job.alarm.since} job={job} alarm={job.alarm} />}
      <Box flex="1" minH={0} overflowY={{ lg: "auto" }} className="page">
        <Outlet />
      </Box>
    </Flex>
  );
}

export const route = { Component: JobFrame };
