import { Box } from "@chakra-ui/react";

/** The key that does the same, beside the words of a button. */
export function KeyHint({ keys }: { keys: string }) {
  return (
    <Box
      as="kbd"
      fontFamily="mono"
      fontSize="13px"
      px="6px"
      borderWidth="1px"
      borderColor="currentColor"
      borderRadius="3px"
      aria-hidden="true"
    >
      {keys}
    </Box>
  );
}
