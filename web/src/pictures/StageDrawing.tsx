import { Box, Table, VisuallyHidden } from "@chakra-ui/react";

import { PictureWords } from "./PictureWords";
import {
  DEVICE_RADIUS,
  layOutStage,
  shareOf,
  type PlacedStagePart,
  STAGE_HALF,
  STAGE_HEIGHT,
  STAGE_WIDTH,
  type StageCircuit,
} from "./stageLayout";

/** The circuit of a stage: values, volts as read and (in brackets) if it were sound, who is suspected. */
export function StageDrawing({ circuit }: { circuit: StageCircuit }) {
  const { wires, parts, device, words } = layOutStage(circuit);
  return (
    <Box
      as="figure"
      m={0}
      aria-label={`The circuit of ${circuit.name}`}
      data-testid="stage-picture"
    >
      <Box bg="ground" borderRadius="4px" overflow="hidden">
        <svg
          viewBox={`0 0 ${STAGE_WIDTH} ${STAGE_HEIGHT}`}
          width={STAGE_WIDTH}
          height={STAGE_HEIGHT}
          aria-hidden="true"
        >
          <Box asChild color="ink" css={{ fill: "none", stroke: "currentColor" }}>
            <g>
              {wires.map((wire, n) => (
                <polyline
                  key={n}
                  points={wire.map((p) => p.join(",")).join(" ")}
                  strokeWidth={1.4}
                />
              ))}
            </g>
          </Box>
          {parts.map((placed) => (
            <StageSymbol key={placed.part.place} placed={placed} />
          ))}
          <Device {...device} solid={circuit.solid} />
          <PictureWords words={words} />
        </svg>
      </Box>
      <AsTable circuit={circuit} />
    </Box>
  );
}

function StageSymbol({ placed }: { placed: PlacedStagePart }) {
  const { part, symbol, x, y } = placed;
  const across = part.place === "coupling";
  return (
    <Box asChild color={part.named ? "outside" : "ink"} css={{ fill: "{colors.ground}" }}>
      <g
        transform={`translate(${x} ${y}) rotate(${across ? 90 : 0})`}
        stroke="currentColor"
        strokeWidth={1.4 + 3 * part.suspicion}
        data-part={part.place}
      >
        {symbol === "resistor" ? (
          <rect x={-6} y={-STAGE_HALF} width={12} height={2 * STAGE_HALF} />
        ) : (
          <>
            <rect x={-10} y={-4} width={20} height={8} stroke="none" />
            <path d="M-10 -4H10M-10 4H10" fill="none" />
          </>
        )}
      </g>
    </Box>
  );
}

type DeviceProps = { x: number; y: number; suspicion: number; named: boolean; solid: boolean };

function Device({ x, y, suspicion, named, solid }: DeviceProps) {
  const r = DEVICE_RADIUS;
  return (
    <Box asChild color={named ? "outside" : "ink"} css={{ fill: "{colors.ground}" }}>
      <g
        transform={`translate(${x} ${y})`}
        stroke="currentColor"
        strokeWidth={1.4 + 3 * suspicion}
        data-part="device"
      >
        <circle r={r} />
        <path
          fill="none"
          strokeWidth={1.4}
          d={
            solid
              ? "M-24 0H-8M-8 -12V12M-8 -5L0 -14V-24M-8 5L0 14V24"
              : "M0 -24V-10M-10 -10H10M-24 0H-14M-10 0H-4M2 0H8M14 0H24M-9 12Q0 6 9 12M0 9V24"
          }
        />
      </g>
    </Box>
  );
}

function AsTable({ circuit }: { circuit: StageCircuit }) {
  return (
    <VisuallyHidden data-testid="stage-table">
      <Table.Root>
        <Table.Caption>The circuit of {circuit.name}</Table.Caption>
        <Table.Body>
          {circuit.volts.map((v) => (
            <Table.Row key={v.at}>
              <Table.Cell>{v.words}</Table.Cell>
              <Table.Cell>{v.read}</Table.Cell>
              <Table.Cell>{v.sound} if it were sound</Table.Cell>
            </Table.Row>
          ))}
          {circuit.parts.map((p) => (
            <Table.Row key={p.place}>
              <Table.Cell>{p.words}</Table.Cell>
              <Table.Cell>{p.value}</Table.Cell>
              <Table.Cell>{shareOf(p)}</Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </VisuallyHidden>
  );
}
