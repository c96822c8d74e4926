import { Box, Text } from "@chakra-ui/react";
import { useState } from "react";

import { PlainButton } from "../shared/Buttons";
import { Trouble } from "../shared/Trouble";
import { useLive } from "./useLive";

/** What the network meter shows now, with its peak held, for a hand that turns an adjuster. */
export function NetworkValues({ jobId }: { jobId: number }) {
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
      <PlainButton mt={2} onClick={() => setOn(!on)} aria-pressed={on}>
        {on ? "Stop watching" : "Watch the AVC meter"}
      </PlainButton>
      <Trouble error={on ? trouble : null} />
    </Box>
  );
}
