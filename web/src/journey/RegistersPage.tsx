import { Flex, Heading, Stack } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";

import { jobQuery, registersQuery } from "../api/queries";
import { BareButton } from "../shared/Buttons";
import { Trouble } from "../shared/Trouble";
import { PANELS } from "./panels";
import { RegisterPanel } from "./RegisterPanel";
import { useWrite } from "./useWrite";

/** Everything that a job keeps beside its steps, on one page. */
function RegistersPage() {
  const jobId = Number(useParams().jobId);
  const { data: job, error } = useQuery(jobQuery(jobId, null));
  const { data: lists } = useQuery(registersQuery(jobId));
  const writing = useWrite(jobId, job?.version ?? 0);
  if (!job) return <Trouble error={error} />;
  return (
    <Stack as="main" p={6} gap={5} maxW="1080px" data-testid="registers">
      <Flex gap={3} align="center" wrap="wrap">
        <Heading fontSize="28px" fontWeight={500} flex="1">
          Registers of {job.set_name}
        </Heading>
        <BareButton asChild>
          <Link to={`/jobs/${jobId}`}>To the step</Link>
        </BareButton>
        <BareButton asChild>
          <Link to={`/jobs/${jobId}/questions`}>Question list to print</Link>
        </BareButton>
      </Flex>
      {PANELS.filter((panel) => panel.onRegisters).map((panel) => (
        <panel.Component key={panel.name} job={job} step={null} asked="" writing={writing} />
      ))}
      {lists?.registers.map((r) => (
        <RegisterPanel key={r.name} jobId={jobId} name={r.name} stepKey="" writing={writing} />
      ))}
    </Stack>
  );
}

export const route = { Component: RegistersPage };
