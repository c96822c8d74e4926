import { Box, Flex, Table, Text } from "@chakra-ui/react";

import type { Schemas } from "../api/client";
import { verdictColour, VerdictShape } from "../shared/VerdictShape";

type Readings = Schemas["ReadingTableShape"];
type Cell = Readings["rows"][number]["cells"][number];
type Props = {
  table: Readings;
  /** The question that is asked now: its cells are lit. */
  asked: string;
  /** Which of its cells is typed now, by its label. */
  cell: string;
  /** Questions that the step takes now: those rows may be picked. */
  open: string[];
  onPick: (ask: string) => void;
};

/** Many values at once: what is expected, what was read, and which are asked for now. */
export default function ReadingTable({ table, asked, cell: focused, open, onPick }: Props) {
  // a row that asks for nothing is not the one that is asked for where nothing is
  const isAsked = (cell: Cell) => asked !== "" && cell.ask === asked;
  return (
    <Box
      flex="1 0 240px"
      minH={0}
      overflowY="auto"
      tabIndex={0}
      role="region"
      aria-label="Readings"
      bg="ground"
      borderRadius="4px"
      px={2}
      data-testid="reading-table"
    >
      <Asked table={table} asked={asked} focused={focused} />
      <Table.Root size="sm">
        <Table.Header>
          <Table.Row bg="transparent">
            <Table.ColumnHeader p="4px" />
            {table.columns.map((column) => (
              <Table.ColumnHeader key={column} p="4px" color="dim" fontSize="14px" fontWeight={400}>
                {column}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {table.rows.map((row) => (
            <Table.Row key={row.label} bg="transparent" data-row={row.label}>
              <Table.ColumnHeader
                scope="row"
                p="2px"
                borderLeftWidth="4px"
                borderColor={asked && row.ask === asked ? "glow" : "transparent"}
              >
                <RowHead row={row} pickable={open.includes(row.ask)} onPick={onPick} />
              </Table.ColumnHeader>
              {table.columns.map((column) => {
                const cell = row.cells.find((c) => c.column === column);
                return (
                  <Table.Cell key={column} p="3px 4px" minW="104px">
                    {cell && (
                      <Value
                        cell={cell}
                        asked={isAsked(cell)}
                        focused={isAsked(cell) && cell.label === focused}
                      />
                    )}
                  </Table.Cell>
                );
              })}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Box>
  );
}

/** What is asked for now, large enough to be read with a probe in the hand. */
function Asked({ table, asked, focused }: { table: Readings; asked: string; focused: string }) {
  const row = table.rows.find((r) => r.ask === asked);
  if (!row || asked === "") return null;
  const mine = table.rows.flatMap((r) => r.cells.filter((cell) => cell.ask === asked));
  const one = mine.find((cell) => cell.label === focused);
  const cells = one ? [one] : row.cells.filter((cell) => cell.ask === asked);
  return (
    <Flex gap={5} wrap="wrap" align="baseline" px={2} pt={2} data-testid="asked-window">
      <Text fontSize="22px" color="glow">
        {one && one.label !== one.column ? one.label : row.label}
      </Text>
      {cells.map((cell) => (
        <Flex key={cell.column} gap={2} align="baseline">
          <Text color="dim">{cell.column}</Text>
          <Text fontFamily="mono" fontSize="26px">
            {cell.expected}
          </Text>
          {cell.read && (
            <Text fontFamily="mono" fontSize="22px" color={verdictColour(cell.verdict)}>
              {cell.read}
            </Text>
          )}
        </Flex>
      ))}
    </Flex>
  );
}

type HeadProps = {
  row: Readings["rows"][number];
  pickable: boolean;
  onPick: (ask: string) => void;
};

function RowHead({ row, pickable, onPick }: HeadProps) {
  const words = (
    <>
      <Text as="span" fontSize="17px" color="ink">
        {row.label}
      </Text>{" "}
      <Text as="span" fontSize="13px" color="dim" fontWeight={400}>
        {row.does}
      </Text>
    </>
  );
  if (!pickable) return <Box px={1}>{words}</Box>;
  return (
    <Box
      as="button"
      minH="44px"
      px={1}
      textAlign="left"
      textDecoration="underline"
      lineHeight={1.1}
      onClick={() => onPick(row.ask)}
    >
      {words}
    </Box>
  );
}

function Value({ cell, asked, focused }: { cell: Cell; asked: boolean; focused: boolean }) {
  return (
    <Box
      borderWidth={focused ? "3px" : "1px"}
      borderRadius="3px"
      borderColor={asked ? "glow" : "edge"}
      data-focused={focused || undefined}
      bg={asked ? "raised" : "transparent"}
      px={2}
      minH="42px"
      title={cell.words || `expected ${cell.expected}`}
    >
      <Flex gap={1} align="center" minH="22px">
        {cell.verdict && <VerdictShape verdict={cell.verdict} />}
        <Text
          fontFamily="mono"
          fontSize="17px"
          whiteSpace="nowrap"
          color={cell.verdict ? verdictColour(cell.verdict) : "dim"}
        >
          {cell.read || "·"}
        </Text>
      </Flex>
      <Text fontSize="13px" color="dim" lineHeight={1.1} whiteSpace="nowrap">
        {cell.read && cell.words !== cell.verdict ? cell.words : cell.expected}
      </Text>
    </Box>
  );
}
