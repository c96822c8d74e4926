import { Box, Flex, Text } from "@chakra-ui/react";
import { lazy, Suspense } from "react";

import type { PlotData, Step } from "../api/client";
import { type SweptStore, useSwept } from "../bench/sweptStore";
import { Plot } from "../shared/Plot";
import { VerdictShape } from "../shared/VerdictShape";
import { WindowBar } from "../shared/WindowBar";
import { seenAt } from "./seenAt";
import { GoodEnough, Leads, Others, Reminder } from "./StepParts";
import type { OpenJob } from "./useJob";

const ChainDrawing = lazy(() => import("../pictures/ChainDrawing"));
const DiagramDrawing = lazy(() => import("../pictures/DiagramDrawing"));
const PeakTrace = lazy(() => import("../pictures/PeakTrace"));
const ReadingTable = lazy(() => import("../pictures/ReadingTable"));
const ScaleDrawing = lazy(() => import("../pictures/ScaleDrawing"));
const SupplyDrawing = lazy(() => import("../pictures/SupplyDrawing"));

/** What is looked at in a step, and under it what was found and what else may be done. */
export function StepPicture({ open, step }: { open: OpenJob; step: Step }) {
  const asked = open.ask?.key ?? "";
  return (
    <>
      <Picture open={open} step={step} />
      <Flex columnGap={4} rowGap={1} align="center" wrap="wrap">
        <Found results={step.results.filter((r) => !inTable(step, r.label))} />
        <FoldedLeads step={step} />
        {!step.blocked && <Others step={step} asked={asked} onPick={open.pick} />}
        {!step.blocked && step.closable && <GoodEnough open={open} />}
        <Reminder step={step} />
      </Flex>
    </>
  );
}

/** The one picture that a step is about. */
export function Picture({ open, step }: { open: OpenJob; step: Step }) {
  const { trace, measured, plot } = seenAt(open);
  const { picture, scale, table, chain, diagram } = step;
  return (
    <Suspense fallback={<Box flex="1 0 240px" />}>
      {trace ? (
        <PeakTrace
          trace={trace}
          reading={measured ? (open.bench?.meters[0]?.text ?? "") : trace.now_text}
          store={open.watch.store}
        />
      ) : picture ? (
        <SupplyDrawing picture={picture} />
      ) : scale ? (
        <ScaleDrawing scale={scale} />
      ) : table ? (
        <ReadingTable
          table={table}
          asked={open.ask?.key ?? ""}
          cell={open.cell.label}
          open={step.blocked ? [] : asksOf(step)}
          onPick={open.pick}
        />
      ) : plot ? (
        <Box flex="1 0 240px" minH={0} display="flex" bg="ground" p={2} data-testid="response">
          <Moving plot={plot} store={open.swept} />
        </Box>
      ) : diagram ? (
        <DiagramDrawing picture={diagram} onTest={open.fetchAsk} />
      ) : chain ? (
        <ChainDrawing picture={chain} />
      ) : null}
    </Suspense>
  );
}

/** A plot, or what turns over it at this moment. */
function Moving({ plot, store }: { plot: PlotData; store: SweptStore }) {
  return <Plot plot={useSwept(store) ?? plot} />;
}

/** Whether a result stands in the step's table. */
const inTable = (step: Step, label: string) =>
  step.table?.rows.some((row) => row.cells.some((cell) => cell.label === label)) ?? false;

const asksOf = (step: Step) => [...(step.ask ? [step.ask] : []), ...step.others].map((a) => a.key);

/** What was measured here in a line; every window behind one key. */
function Found({ results }: { results: Step["results"] }) {
  if (results.length === 0) return null;
  return (
    <Box asChild fontSize="15px">
      <details>
        <summary>
          <Flex as="span" display="inline-flex" gap={4} wrap="wrap" data-testid="found">
            {results.map((r) => (
              <Flex as="span" key={`${r.seq} ${r.label}`} gap={1} align="center">
                <VerdictShape verdict={r.verdict} />
                <Text as="span" color="dim">
                  {r.label}
                </Text>
                <Text as="span" fontFamily="mono">
                  {r.text}
                </Text>
              </Flex>
            ))}
          </Flex>
        </summary>
        <Box
          maxH="180px"
          overflowY="auto"
          tabIndex={0}
          role="region"
          aria-label="What was measured"
        >
          {[...results].reverse().map((found) => (
            <WindowBar key={`${found.seq} ${found.label}`} result={found} />
          ))}
        </Box>
      </details>
    </Box>
  );
}

/** Where the picture shows the leads, their table is folded. */
function FoldedLeads({ step }: { step: Step }) {
  if (step.leads.length === 0 && step.controls.length === 0) return null;
  return (
    <Box asChild fontSize="14px" color="dim">
      <details>
        <summary>Leads and controls as a table</summary>
        <Leads step={step} />
      </details>
    </Box>
  );
}
