import { Box, Flex, Text } from "@chakra-ui/react";

import type { Result } from "../api/client";
import { lane } from "./lane";
import { VerdictShape, verdictColour } from "./VerdictShape";

/** The house way to show a number: its window, its place in it, and the verdict in words. */
export function WindowBar({ result }: { result: Result }) {
  const { low, high, value } = result;
  const windowed = low !== null || high !== null;
  const shown = lane(low, high, value);
  const place = shown.place(value ?? 0);
  return (
    <Flex align="center" gap={2} py="3px" data-testid="result">
      <Box w="190px" flexShrink={0}>
        <Text fontSize="14px" color="dim" lineClamp={1} title={result.label}>
          {result.label}
        </Text>
        <Text fontFamily="mono" fontSize="15px" whiteSpace="nowrap">
          {result.text}
        </Text>
      </Box>
      <Box flex="1" minW="130px">
        {windowed && (
          <>
            <Box
              position="relative"
              h="16px"
              bg="raised"
              borderRadius="3px"
              opacity={result.stale ? 0.5 : 1}
            >
              <Box
                position="absolute"
                top={0}
                bottom={0}
                left={`${shown.from * 100}%`}
                width={`${(shown.to - shown.from) * 100}%`}
                bg="band"
                borderXWidth="1px"
                borderColor="inside"
              />
              <Box
                position="absolute"
                top="1px"
                left={`calc(${place.at * 100}% - ${place.off === "right" ? 14 : place.off === "left" ? 0 : 7}px)`}
              >
                <VerdictShape verdict={result.verdict} />
              </Box>
            </Box>
            <Flex
              justify="space-between"
              fontFamily="mono"
              fontSize="13px"
              color="dim"
              whiteSpace="nowrap"
            >
              <span>{result.low_text}</span>
              <span>{result.high_text}</span>
            </Flex>
          </>
        )}
      </Box>
      <Flex w="96px" flexShrink={0} gap={2} align="center" fontSize="14px">
        {!windowed && <VerdictShape verdict={result.verdict} />}
        <Text color={verdictColour(result.verdict)} data-testid="verdict">
          {result.stale ? "stale, read again" : result.words}
          {result.as_found ? ", as found" : ""}
        </Text>
      </Flex>
    </Flex>
  );
}
