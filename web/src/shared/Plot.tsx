import { Box, Button, Flex, Table, Text } from "@chakra-ui/react";
import { lazy, Suspense, useState } from "react";

import type { PlotData } from "../api/client";

import { markWords } from "./plotData";

const PlotCanvas = lazy(() => import("./PlotCanvas"));

/** A plot to look at, with the same figures as a table behind a button. */
export function Plot({ plot }: { plot: PlotData }) {
  const [asTable, setAsTable] = useState(false);
  return (
    <Box
      as="figure"
      aria-label={plot.title}
      minW={0}
      flex="1"
      minH="150px"
      {...(plot.main ? {} : { maxH: "280px" })}
      display="flex"
      flexDirection="column"
    >
      <Flex as="figcaption" justify="space-between" align="center" mb={1}>
        <Text fontSize="15px" color="dim">
          {plot.title}
        </Text>
        <Button
          variant="ghost"
          color="dim"
          h="44px"
          my="-8px"
          fontSize="14px"
          onClick={() => setAsTable(!asTable)}
          className="no-print"
        >
          {asTable ? "As a plot" : "As a table"}
        </Button>
      </Flex>
      {asTable ? (
        <PlotTable plot={plot} />
      ) : (
        <Suspense fallback={<Box flex="1" />}>
          <PlotCanvas plot={plot} />
        </Suspense>
      )}
    </Box>
  );
}

function PlotTable({ plot }: { plot: PlotData }) {
  return (
    <Box flex="1" minH={0} overflowY="auto" tabIndex={0} role="region" aria-label={plot.title}>
      <Table.Root size="sm" variant="line" fontFamily="mono">
        <Table.Header>
          <Table.Row bg="raised">
            <Table.ColumnHeader>line</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">{plot.x_label}</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">{plot.y_label}</Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {markWords(plot).map((words) => (
            <Table.Row key={words} bg="transparent">
              <Table.Cell colSpan={3}>{words}</Table.Cell>
            </Table.Row>
          ))}
          {plot.lines.flatMap((line) =>
            line.x.map((x, n) => (
              <Table.Row key={`${line.label} ${n}`} bg="transparent">
                <Table.Cell>{line.label}</Table.Cell>
                <Table.Cell textAlign="end">{x.toPrecision(4)}</Table.Cell>
                <Table.Cell textAlign="end">{line.y[n]?.toFixed(2) ?? ""}</Table.Cell>
              </Table.Row>
            )),
          )}
        </Table.Body>
      </Table.Root>
    </Box>
  );
}
