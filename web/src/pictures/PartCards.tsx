import { Box, Text } from "@chakra-ui/react";
import { useState } from "react";

import type { Placed } from "./supplyLayout";

/** Something to press on every part of a drawing; pressed, what is known of the part is told. */
export function PartCards({ placed }: { placed: Placed[] }) {
  const [open, setOpen] = useState("");
  const shown = placed.find((p) => p.part.key === open);
  return (
    <Box
      position="absolute"
      inset={0}
      pointerEvents="none"
      onKeyDown={(event) => {
        if (event.key === "Escape") setOpen("");
      }}
    >
      {placed.map(({ part, x, y }) => (
        <Box
          asChild
          key={part.key}
          position="absolute"
          left={`${x - 22}px`}
          top={`${y - 22}px`}
          w="44px"
          h="44px"
          pointerEvents="auto"
          cursor="pointer"
          borderRadius="4px"
          _hover={{ boxShadow: "0 0 0 1px currentColor" }}
        >
          <button
            type="button"
            aria-expanded={part.key === open}
            aria-label={`${part.label || part.place} ${part.value} ${part.words}`.trim()}
            data-opens={part.key}
            onClick={() => setOpen(part.key === open ? "" : part.key)}
          />
        </Box>
      ))}
      {shown && <Card placed={shown} onClose={() => setOpen("")} />}
    </Box>
  );
}

function Card({ placed, onClose }: { placed: Placed; onClose: () => void }) {
  const { part } = placed;
  return (
    <Box
      position="absolute"
      right={2}
      top={2}
      maxW="320px"
      bg="panel"
      borderWidth="1px"
      borderColor="glow"
      borderRadius="4px"
      p={3}
      fontSize="14px"
      pointerEvents="auto"
      role="status"
      data-testid="part-card"
    >
      <Text fontSize="17px">
        {part.label || part.place} {part.value}
      </Text>
      {part.words && <Text color="outside">{part.words}</Text>}
      {part.details.map((line) => (
        <Text key={line}>{line}</Text>
      ))}
      {part.details.length === 0 && !part.words && (
        <Text color="dim">Nothing was measured or fitted here in this job.</Text>
      )}
      <Box asChild minH="44px" minW="44px" mt={1} textDecoration="underline">
        <button type="button" onClick={onClose}>
          Close
        </button>
      </Box>
    </Box>
  );
}
