import { Box, Flex, Text } from "@chakra-ui/react";

import { PlainButton } from "../shared/Buttons";
import type { Block } from "./diagramLayout";
import { StageDrawing } from "./StageDrawing";

type Props = { block: Block; onClose: () => void; onTest: (ask: string) => void };

/** A block looked at closely: what speaks for and against it, what its circuit tells, what to try. */
export function BlockCard({ block, onClose, onTest }: Props) {
  return (
    <Box
      position="absolute"
      right={2}
      top={2}
      maxH="calc(100% - 16px)"
      overflowY="auto"
      w="min(430px, 90%)"
      bg="panel"
      borderWidth="1px"
      borderColor="glow"
      borderRadius="4px"
      p={3}
      fontSize="15px"
      role="region"
      aria-label={block.label}
      tabIndex={0}
      data-testid="block-card"
    >
      <Flex justify="space-between" align="start" gap={3}>
        <Text fontSize="18px">
          {block.label} · {block.standing} {block.figure}
        </Text>
        <PlainButton onClick={onClose}>Close</PlainButton>
      </Flex>
      {block.board && <Text color="dim">on the board {block.board}</Text>}
      {block.circuits.map((circuit) => (
        <StageDrawing key={circuit.name} circuit={circuit} />
      ))}
      {block.inside.map((line) => (
        <Text key={line} color="glow">
          {line}
        </Text>
      ))}
      {block.evidence.map((line) => (
        <Text key={line}>{line}</Text>
      ))}
      {block.evidence.length === 0 && <Text color="dim">Nothing that was tried tells of it.</Text>}
      {block.leans_on.length > 0 && <Text color="dim">It needs: {block.leans_on.join(", ")}.</Text>}
      {block.tests.map((test) => (
        <PlainButton
          key={test.ask}
          mt={1}
          w="100%"
          h="auto"
          minH="44px"
          py={1}
          whiteSpace="normal"
          textAlign="left"
          justifyContent="start"
          onClick={() => {
            onClose();
            onTest(test.ask);
          }}
        >
          {test.words} ({test.minutes})
        </PlainButton>
      ))}
    </Box>
  );
}
