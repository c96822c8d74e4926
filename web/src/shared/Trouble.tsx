import { Box, Text } from "@chakra-ui/react";

import { ProblemError } from "../api/client";

/** What went wrong, in the server's own sentence, announced to screen readers. */
export function Trouble({ error }: { error: unknown }) {
  if (!error) return null;
  const words = error instanceof Error ? error.message : "Something went wrong; nothing was lost.";
  const title = error instanceof ProblemError ? error.problem.title : "Trouble";
  return (
    <Box
      role="alert"
      borderLeftWidth="4px"
      borderColor="outside"
      bg="raised"
      px={3}
      py={2}
      borderRadius="3px"
      data-testid="trouble"
    >
      <Text fontWeight={600} color="outside" fontSize="15px">
        ▲ {title}
      </Text>
      <Text fontSize="15px">{words}</Text>
    </Box>
  );
}
