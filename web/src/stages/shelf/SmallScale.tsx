import { Box, Flex } from "@chakra-ui/react";

import type { StageState } from "../../api/client";
import { litShare, stopWord } from "../../shared/scale";

/** The journey scale in small: ten stops, lit as far as they are done, a notch for trouble. */
export function SmallScale({ stages }: { stages: StageState[] }) {
  const words = stages.map((s) => `${s.stage}: ${stopWord(s)}`).join(", ");
  return (
    <Flex gap="2px" h="18px" align="end" role="img" aria-label={words}>
      {stages.map((stage) => (
        <Box key={stage.stage} flex="1" position="relative" h="100%">
          <Box position="absolute" bottom={0} left={0} right={0} h="4px" bg="edge" />
          <Box
            position="absolute"
            bottom={0}
            left={0}
            h="4px"
            bg="glow"
            width={`${litShare(stage) * 100}%`}
          />
          <Box position="absolute" bottom={0} left={0} w="1px" h="12px" bg="dim" />
          {stage.trouble && (
            <Box
              position="absolute"
              top={0}
              left="40%"
              color="outside"
              fontSize="13px"
              lineHeight={1}
            >
              ▲
            </Box>
          )}
        </Box>
      ))}
    </Flex>
  );
}
