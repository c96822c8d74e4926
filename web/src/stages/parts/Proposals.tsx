import { Box, Flex, Heading, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";

import { proposalsQuery } from "../../api/queries";
import { Trouble } from "../../shared/Trouble";

/** What the part that is asked about needs, and what would do in its place. */
export function Proposals({ jobId, part }: { jobId: number; part: string }) {
  const { data, error } = useQuery(proposalsQuery(jobId, part));
  if (!data) return <Trouble error={error} />;
  return (
    <Box borderLeftWidth="4px" borderColor="glow" pl={3} mb={2} data-testid="proposals">
      <Heading as="h3" fontSize="18px" fontWeight={500}>
        In place of {part}
      </Heading>
      <Text fontSize="15px" color="dim">
        {data.words}
      </Text>
      {data.proposals.map((p, n) => (
        <Flex key={p.words} gap={2} fontSize="16px">
          <Text color={p.inside ? "inside" : "outside"}>{p.inside ? "◆" : "▲"}</Text>
          <Text>
            {n + 1}: {p.words} {p.from_stock ? "from stock" : "to buy"}
            {p.taken && data.proposals.length > 1 ? " (taken, unless another is chosen)" : ""}
          </Text>
        </Flex>
      ))}
      {data.proposals.length === 0 && (
        <Text>Neither stock nor the list of standard values has one that fits.</Text>
      )}
    </Box>
  );
}
