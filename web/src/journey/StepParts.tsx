import { Box, Flex, Stack, Table, Text } from "@chakra-ui/react";

import type { Step } from "../api/client";
import { PlainButton } from "../shared/Buttons";
import { KeyHint } from "../shared/KeyHint";
import type { OpenJob } from "./useJob";

/** The other questions that the step takes now, in any order. */
export function Others({
  step,
  asked,
  onPick,
}: {
  step: Step;
  asked: string;
  onPick: (k: string) => void;
}) {
  // a row of a table is picked there
  const rows = (step.table?.rows ?? []).map((row) => row.ask);
  const all = [...(step.ask ? [step.ask] : []), ...step.others];
  const others = all.filter((a) => a.key !== asked && !rows.includes(a.key));
  if (others.length === 0) return null;
  return (
    <Flex gap={2} mt={2} wrap="wrap" align="center" data-testid="others">
      <Text fontSize="15px" color="dim">
        or take
      </Text>
      {others.map((other) => (
        <PlainButton key={other.key} px={3} onClick={() => onPick(other.key)} title={other.prompt}>
          {other.called}
        </PlainButton>
      ))}
    </Flex>
  );
}

export function Reminder({ step }: { step: Step }) {
  if (step.reminded.length === 0) return null;
  return (
    <Text
      fontSize="14px"
      color="dim"
      lineClamp={1}
      title={step.reminded.join(", ")}
      data-testid="reminded"
    >
      ▲ Remember: {step.reminded.join(", ")}.
    </Text>
  );
}

export function GoodEnough({ open }: { open: OpenJob }) {
  return (
    <PlainButton onClick={() => open.open("close")}>
      Good enough: close with a reason <KeyHint keys="F4" />
    </PlainButton>
  );
}

/** What could not be worked out, and why; it may be tried again, or the step closed without. */
export function NotWorkedOut({ step, open }: { step: Step; open: OpenJob }) {
  return (
    <Flex
      role="status"
      gap={3}
      align="center"
      borderLeftWidth="4px"
      borderColor="outside"
      pl={3}
      data-testid="not-worked-out"
    >
      <Text fontSize="16px" flex="1">
        ▲ The sum for these readings failed: {step.failed}. Try it again, or close the step without
        it.
      </Text>
      <PlainButton onClick={open.tryAgain}>Try again</PlainButton>
    </Flex>
  );
}

export function Advice({ lines }: { lines: string[] }) {
  if (lines.length === 0) return null;
  return (
    <Stack gap={1} borderLeftWidth="4px" borderColor="glow" pl={3} data-testid="advice">
      {lines.map((line) => (
        <Text key={line} fontSize="16px" whiteSpace="pre-line">
          {line}
        </Text>
      ))}
    </Stack>
  );
}

export function Leads({ step }: { step: Step }) {
  if (step.leads.length === 0 && step.controls.length === 0) return null;
  return (
    <Box fontSize="14px" borderLeftWidth="1px" borderColor="edge" pl={3} data-testid="leads">
      {step.leads.length > 0 && (
        <Table.Root size="sm" variant="line">
          <Table.Header>
            <Table.Row bg="transparent">
              {["from", "through", "to"].map((head) => (
                <Table.ColumnHeader key={head} p="2px" color="dim" fontWeight={400}>
                  {head}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {step.leads.map((lead) => (
              <Table.Row key={`${lead.source} ${lead.to}`} bg="transparent">
                {[lead.source, lead.through || "directly", lead.to].map((word, n) => (
                  <Table.Cell key={n} p="2px" verticalAlign="top" lineHeight={1.2}>
                    {word}
                  </Table.Cell>
                ))}
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      )}
      {step.controls.map((control) => (
        <Text key={control} mt={1} lineHeight={1.2}>
          · {control}
        </Text>
      ))}
    </Box>
  );
}
