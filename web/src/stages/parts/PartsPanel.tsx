import { Box, Flex, Heading, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { partsQuery, proposalsQuery } from "../../api/queries";
import { Trouble } from "../../shared/Trouble";

type Part = Schemas["PartShape"];
type Props = {
  jobId: number;
  /** The part that is asked about now, if one is. */
  asked: string;
  /** Questions that the step takes now: those parts may be picked. */
  open: string[];
  onPick: (ref: string) => void;
};

const MARKS: Record<string, string> = { fit: "◆", restuff: "◆", order: "◧", keep: "◇", "": "·" };

/** What the part asked about needs, what would do, and the whole list as it stands. */
export function PartsPanel({ jobId, asked, open, onPick }: Props) {
  const { data, error } = useQuery(partsQuery(jobId));
  if (!data) return <Trouble error={error} />;
  const mine = data.parts.filter((p) => open.includes(p.ref));
  const shown = mine.length > 0 ? mine : data.parts;
  return (
    <Box as="section" aria-label="Parts" data-testid="parts">
      {data.parts.some((p) => p.ref === asked) && <Proposals jobId={jobId} part={asked} />}
      <Table.Root size="sm">
        <Table.Header>
          <Table.Row bg="transparent">
            {["", "part", "value", "does", "measured", "done"].map((head) => (
              <Table.ColumnHeader key={head} p="3px" color="dim" fontWeight={400}>
                {head}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {shown.map((part) => (
            <PartRow
              key={part.ref}
              part={part}
              asked={part.ref === asked}
              pick={open.includes(part.ref) ? () => onPick(part.ref) : null}
            />
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  );
}

type RowProps = { part: Part; asked: boolean; pick: (() => void) | null };

function PartRow({ part, asked, pick }: RowProps) {
  return (
    <Table.Row bg={asked ? "raised" : "transparent"} data-testid="part" data-part={part.ref}>
      <Table.Cell p="3px">
        <span title={part.decision || "open"}>{MARKS[part.decision] ?? "·"}</span>
      </Table.Cell>
      <Table.Cell p="3px">
        {pick ? (
          <Box
            as="button"
            minH="44px"
            minW="44px"
            textAlign="left"
            textDecoration="underline"
            onClick={pick}
          >
            {part.ref}
          </Box>
        ) : (
          part.ref
        )}
      </Table.Cell>
      <Table.Cell p="3px" fontFamily="mono" fontSize="14px">
        {part.value} {part.rating}
      </Table.Cell>
      <Table.Cell p="3px">
        {part.name}
        {part.can ? ` (in ${part.can})` : ""}
      </Table.Cell>
      <Table.Cell p="3px">{part.measured_words}</Table.Cell>
      <Table.Cell p="3px">
        {part.decision}
        {part.fitted ? `: ${part.fitted}` : ""}
      </Table.Cell>
    </Table.Row>
  );
}

function Proposals({ jobId, part }: { jobId: number; part: string }) {
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
