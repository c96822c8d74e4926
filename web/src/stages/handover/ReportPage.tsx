import { Box, Flex, Heading, Stack, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Link, useParams } from "react-router";

import type { Schemas } from "../../api/client";
import { reportQuery } from "../../api/queries";
import { useWhere } from "../../app/Frame";
import { Trouble } from "../../shared/Trouble";
import { VerdictShape, verdictColour } from "../../shared/VerdictShape";
import { LitButton, PlainButton } from "../../shared/Buttons";

const ReportPictures = lazy(() => import("./ReportPictures"));

type Report = Schemas["ReportShape"];

/** The page that goes with the set: as found and as left against the service data. */
function ReportPage() {
  const jobId = Number(useParams().jobId);
  const { data: report, error } = useQuery(reportQuery(jobId));
  const where = useWhere();
  useEffect(() => {
    where.set(report ? `${report.set_name} · report` : "");
    return () => where.set("");
  }, [where, report]);
  if (!report) {
    return (
      <Box as="main" p={6}>
        {error ? <Trouble error={error} /> : "Writing the report ..."}
      </Box>
    );
  }
  return (
    <Box h="100%" overflowY="auto" className="report">
      <Stack as="main" p={6} gap={4} maxW="1000px" mx="auto" data-testid="report">
        <Flex justify="space-between" align="start" gap={4} wrap="wrap">
          <Box flex="1 1 340px">
            <Heading as="h1" fontSize="30px" fontWeight={500}>
              {report.set_name}
            </Heading>
            <Text color="dim">
              {report.title} · opened {report.opened_at.slice(0, 10)}
              {report.closed_at
                ? ` · handed over ${report.closed_at.slice(0, 10)}`
                : " · still open"}
            </Text>
          </Box>
          <Flex gap={2} wrap="wrap" className="no-print">
            <PlainButton asChild>
              <a href={`/api/jobs/${jobId}/readings.csv`}>Readings (CSV)</a>
            </PlainButton>
            <PlainButton asChild>
              <a href={`/api/jobs/${jobId}/correction-card.csv`}>Correction card (CSV)</a>
            </PlainButton>
            <PlainButton asChild>
              <a href={`/api/jobs/${jobId}/stations.csv`}>Stations (CSV)</a>
            </PlainButton>
            <PlainButton asChild>
              <a href={`/api/jobs/${jobId}/document`}>Whole job (JSON)</a>
            </PlainButton>
            <PlainButton asChild>
              <Link to={`/jobs/${jobId}`}>To the job</Link>
            </PlainButton>
            <LitButton onClick={() => window.print()}>Print</LitButton>
          </Flex>
        </Flex>
        <Figures report={report} />
        <Suspense fallback={null}>
          <ReportPictures report={report} />
        </Suspense>
        <Box columnCount={2} columnGap={6}>
          <Lines title="How it came" lines={report.story} none="Nothing was written at intake." />
          <Lines
            title="Adjusters, net turns from as found"
            lines={report.ledger.map((row) => `${row.adjuster}: ${row.turns}`)}
            none="No adjuster was turned."
          />
          <Lines
            title="Decisions"
            lines={report.decisions}
            none="No step was closed by decision."
          />
          <Lines title="Changed" lines={report.changes} none="No part was changed." />
          {report.modifications.length > 0 && (
            <Lines title="Modifications" lines={report.modifications} none="" />
          )}
          {report.waiting.length > 0 && (
            <Lines title="Still waiting" lines={report.waiting} none="" />
          )}
          {report.visits.length > 0 && (
            <Lines
              title="Earlier visits"
              lines={report.visits.map((v) => `${v.opened_at.slice(0, 10)}: ${v.complaint}`)}
              none=""
            />
          )}
          <Lines
            title="Still on or still off"
            lines={report.still_on}
            none="Nothing is clipped on, everything is switched back on."
          />
          <Lines
            title="Not settled"
            lines={report.not_settled}
            none="Nothing is stale, and nothing stands outside its window undecided."
          />
          {report.gaps.length > 0 && <Lines title="Not on the sheet" lines={report.gaps} none="" />}
          <Lines title="Cautions that remain" lines={report.cautions} none="" />
          <Lines title="Next check" lines={[report.next_check]} none="" />
        </Box>
      </Stack>
    </Box>
  );
}

function Figures({ report }: { report: Report }) {
  if (report.rows.length === 0) return <Text>Nothing is measured yet.</Text>;
  return (
    <Table.Root size="sm" variant="line" fontSize="15px">
      <Table.Header>
        <Table.Row bg="transparent">
          {["Figure", "Service data", "As found", "As left", "Verdict"].map((head) => (
            <Table.ColumnHeader key={head} color="dim" p={1}>
              {head}
            </Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>
        {report.rows.map((row) => (
          <Table.Row key={row.what} bg="transparent" data-testid="report-row">
            <Table.Cell p={1}>{row.what}</Table.Cell>
            {[row.specified, row.found, row.left].map((text, n) => (
              <Table.Cell key={n} p={1} fontFamily="mono" whiteSpace="nowrap">
                {text || "-"}
              </Table.Cell>
            ))}
            <Table.Cell p={1} whiteSpace="nowrap" color={verdictColour(row.verdict)}>
              <VerdictShape verdict={row.verdict} /> {row.words}
            </Table.Cell>
          </Table.Row>
        ))}
      </Table.Body>
    </Table.Root>
  );
}

function Lines({ title, lines, none }: { title: string; lines: string[]; none: string }) {
  return (
    <Box fontSize="15px" breakInside="avoid" pb={3}>
      <Heading as="h2" fontSize="18px" fontWeight={500}>
        {title}
      </Heading>
      {lines.length === 0 ? (
        <Text color="dim">{none}</Text>
      ) : (
        lines.map((line) => <Text key={line}>{line}</Text>)
      )}
    </Box>
  );
}

export const route = { Component: ReportPage };
