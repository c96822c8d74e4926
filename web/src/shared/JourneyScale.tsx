import { Box, Flex, Text } from "@chakra-ui/react";
import { useRef } from "react";

import type { StageState } from "../api/client";
import { litShare, pointerPlace, stopForKey, stopWord } from "./scale";

type Props = {
  stages: StageState[];
  at: string;
  index: number;
  onGo: (stage: string) => void;
};

/** The journey as a tuning scale: stops, ticks for steps, done parts lit, a pointer that glides. */
export function JourneyScale({ stages, at, index, onGo }: Props) {
  const stops = useRef<(HTMLButtonElement | null)[]>([]);
  const present = stages.findIndex((s) => s.stage === at);

  const onKey = (event: React.KeyboardEvent, stop: number) => {
    const next = stopForKey(event.key, stop, stages.length);
    if (next === null) return;
    event.preventDefault();
    stops.current[next]?.focus();
    const stage = stages[next];
    if (/^[0-9]$/.test(event.key) && stage) onGo(stage.stage);
  };

  return (
    <Box as="nav" aria-label="Journey" position="relative" h="72px" bg="panel" flexShrink={0}>
      <Box
        position="absolute"
        top="2px"
        bottom="2px"
        w="3px"
        bg="glow"
        borderRadius="2px"
        pointerEvents="none"
        transition="left 0.4s ease-out"
        left={`calc(${pointerPlace(stages, at, index) * 100}% - 1px)`}
      />
      <Flex h="100%">
        {stages.map((stage, n) => (
          <Box
            key={stage.stage}
            asChild
            flex="1"
            minW={0}
            position="relative"
            cursor="pointer"
            color={stage.stage === at ? "ink" : "dim"}
          >
            <button
              id={`stop-${n}`}
              ref={(element) => {
                stops.current[n] = element;
              }}
              tabIndex={n === Math.max(present, 0) ? 0 : -1}
              aria-current={stage.stage === at ? "step" : undefined}
              onClick={() => onGo(stage.stage)}
              onKeyDown={(event) => onKey(event, n)}
            >
              <Stop stage={stage} />
            </button>
          </Box>
        ))}
      </Flex>
    </Box>
  );
}

function Stop({ stage }: { stage: StageState }) {
  const steps = Math.max(stage.steps, 1);
  return (
    <>
      <Text
        fontFamily="heading"
        fontSize="15px"
        fontWeight={500}
        position="absolute"
        top="4px"
        left="0"
        right="0"
        truncate
      >
        <Box as="span" bg="panel" px="4px">
          {stage.stage}
        </Box>
      </Text>
      <Box position="absolute" left={0} right={0} top="36px" h="2px" bg="edge" />
      <Box
        position="absolute"
        left={0}
        top="35px"
        h="4px"
        bg="glow"
        width={`${litShare(stage) * 100}%`}
      />
      <Box position="absolute" left={0} top="28px" h="16px" w="1px" bg="dim" />
      {Array.from({ length: steps }, (_, n) => (
        <Box
          key={n}
          position="absolute"
          top="32px"
          h="8px"
          w="1px"
          bg="edge"
          left={`${((n + 0.5) / steps) * 100}%`}
        />
      ))}
      <Text
        fontSize="13px"
        position="absolute"
        bottom="5px"
        left="0"
        right="0"
        color={stage.trouble ? "outside" : "dim"}
        fontWeight={stage.trouble ? 700 : 400}
      >
        <Box as="span" bg="panel" px="4px">
          {stage.trouble ? "▲ " : ""}
          {stopWord(stage)}
        </Box>
      </Text>
    </>
  );
}
