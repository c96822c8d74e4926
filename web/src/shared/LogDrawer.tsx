import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";

import type { Schemas } from "../api/client";
import { KeyHint } from "./KeyHint";
import { VerdictShape } from "./VerdictShape";
import { BareButton, PlainButton } from "./Buttons";

type LogLine = Schemas["LogShape"];

type Props = {
  lines: LogLine[];
  open: boolean;
  onToggle: () => void;
  onWithdraw: (seq: number) => Promise<unknown>;
};

/** Every reading, move and note, newest first; one line that opens to a third of the height. */
export function LogDrawer({ lines, open, onToggle, onWithdraw }: Props) {
  const newest = lines[0];
  return (
    <Box
      as="section"
      aria-label="Log"
      bg="panel"
      borderTopWidth="1px"
      borderColor="edge"
      h={open ? "33vh" : "44px"}
      flexShrink={0}
      display="flex"
      flexDirection="column"
    >
      <Flex h="44px" px={4} gap={3} align="center" flexShrink={0}>
        <Box flex="1" minW={0}>
          {open || !newest ? (
            <Text color="dim">{newest ? "The log, newest first" : "Nothing is entered yet."}</Text>
          ) : (
            <Line line={newest} />
          )}
        </Box>
        <BareButton onClick={onToggle} aria-expanded={open} data-testid="log-toggle">
          {open ? "Close the log" : `Log (${lines.length})`} <KeyHint keys="F8" />
        </BareButton>
      </Flex>
      {open && (
        <Box
          overflowY="auto"
          flex="1"
          px={4}
          pb={2}
          tabIndex={0}
          role="region"
          aria-label="Entries"
        >
          {lines.map((line) => (
            <Line key={line.seq} line={line} onWithdraw={onWithdraw} />
          ))}
        </Box>
      )}
    </Box>
  );
}

function Line({
  line,
  onWithdraw,
}: {
  line: LogLine;
  onWithdraw?: (seq: number) => Promise<unknown>;
}) {
  const [asked, setAsked] = useState(false);
  const time = line.at.slice(11, 16);
  return (
    <Flex
      gap={3}
      align="center"
      fontSize="15px"
      minH={onWithdraw ? "44px" : undefined}
      data-testid="log-line"
    >
      <Text fontFamily="mono" color="dim" flexShrink={0}>
        {time}
      </Text>
      <Text color="dim" w="90px" flexShrink={0}>
        {line.kind}
      </Text>
      <Text
        flex="1"
        minW={0}
        truncate
        textDecoration={line.struck ? "line-through" : "none"}
        title={line.text}
      >
        {line.text}
      </Text>
      {line.verdict && (
        <Flex gap={2} align="center" flexShrink={0}>
          <VerdictShape verdict={line.verdict} />
          <Text>{line.words}</Text>
        </Flex>
      )}
      {onWithdraw && line.can_withdraw && (
        <PlainButton
          px={3}
          fontSize="14px"
          onClick={() => (asked ? void onWithdraw(line.seq) : setAsked(true))}
        >
          {asked ? "Withdraw: sure?" : "Withdraw"}
        </PlainButton>
      )}
    </Flex>
  );
}
