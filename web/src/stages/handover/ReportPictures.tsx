import { Box, Flex, Heading, Table } from "@chakra-ui/react";

import type { Schemas } from "../../api/client";
import ScaleDrawing from "../../pictures/ScaleDrawing";
import SupplyDrawing from "../../pictures/SupplyDrawing";
import { Plot } from "../../shared/Plot";
import { VerdictShape } from "../../shared/VerdictShape";

type Report = Schemas["ReportShape"];
type Picture = NonNullable<Report["pictures"]>[number];

/** What was drawn on the way, as it stands at the end: on paper in either theme. */
export default function ReportPictures({ report }: { report: Report }) {
  return (
    <Flex wrap="wrap" gap={3} className="paper">
      {(report.photo_id ?? 0) > 0 && (
        <Box w="310px" className="report-picture">
          <Heading as="h2" fontSize="15px">
            The set
          </Heading>
          <img
            src={`/api/jobs/${report.job_id}/photos/${report.photo_id}`}
            alt={`${report.set_name}, photographed`}
            style={{ maxHeight: 190, maxWidth: "100%" }}
          />
        </Box>
      )}
      {(report.pictures ?? []).map((shown) => (
        <Shown key={shown.title} shown={shown} />
      ))}
    </Flex>
  );
}

function Shown({ shown }: { shown: Picture }) {
  const { title, picture, table, scale, plot } = shown;
  return (
    <Flex direction="column" w="640px" className="report-picture" data-testid="report-picture">
      <Heading as="h2" fontSize="15px">
        {title}
      </Heading>
      {picture && (
        <Flex h="240px" direction="column">
          <SupplyDrawing picture={picture} />
        </Flex>
      )}
      {scale && (
        <Flex h="190px" direction="column">
          <ScaleDrawing scale={scale} />
        </Flex>
      )}
      {plot && (
        <Flex h="190px" direction="column">
          <Plot plot={plot} />
        </Flex>
      )}
      {table && <Chart table={table} />}
    </Flex>
  );
}

/** The volts of every tube on one small table. */
function Chart({ table }: { table: Schemas["ReadingTableShape"] }) {
  return (
    <Table.Root size="sm" variant="line" fontSize="13px">
      <Table.Header>
        <Table.Row bg="transparent">
          <Table.ColumnHeader p={1}> </Table.ColumnHeader>
          {table.columns.map((column) => (
            <Table.ColumnHeader key={column} p={1} color="dim">
              {column}
            </Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {table.rows.map((row) => (
          <Table.Row key={row.label} bg="transparent">
            <Table.Cell p={1}>{row.label}</Table.Cell>
            {table.columns.map((column) => {
              const cell = row.cells.find((c) => c.column === column);
              return (
                <Table.Cell key={column} p={1} fontFamily="mono" whiteSpace="nowrap">
                  {cell?.read && (
                    <>
                      <VerdictShape verdict={cell.verdict} /> {cell.read}
                    </>
                  )}
                </Table.Cell>
              );
            })}
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}
