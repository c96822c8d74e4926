import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";

import { PlainButton } from "../shared/Buttons";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import { useLive } from "./useLive";

type Props = { jobId: number; stopped: string; onStop: () => void };

/** What the network meter shows now, with its peak held, for a hand that turns an adjuster. */
export function NetworkValues({ jobId, stopped, onStop }: Props) {
  const [on, setOn] = useState(false);
  const { live, trouble } = useLive(jobId, on);
  return (
    <Box>
      {live && on && (
        <>
          <Text fontFamily="mono" fontSize="40px" lineHeight={1.1} data-testid="live">
            {live.text}
          </Text>
          <Text fontSize="15px" data-testid="peak-hold">
            peak held {live.held.toFixed(3)} V: {live.words}
          </Text>
        </>
      )}
      <Flex gap={2} mt={2} wrap="wrap">
        <PlainButton onClick={() => setOn(!on)} aria-pressed={on}>
          {on ? "Stop watching" : "Watch the AVC meter"}
        </PlainButton>
        <PlainButton borderColor="outside" color="outside" onClick={onStop}>
          All outputs off <KeyHint keys="F10" />
        </PlainButton>
      </Flex>
      {stopped && (
        <Text role="status" mt={1} fontSize="15px" data-testid="stopped">
          {stopped}
        </Text>
      )}
      <Trouble error={on ? trouble : null} />
    </Box>
  );
}
