import { Box, Flex, Stack, Text } from "@chakra-ui/react";
import { useCallback, useRef, useState } from "react";

import { inSixteenBits, useMicrophone } from "../bench/useMicrophone";
import { LitButton, PlainButton } from "../shared/Buttons";
import { Trouble } from "../shared/Trouble";
import { asWav } from "./wav";

/** Longer ones are recorded by a program and brought as a file. */
const LONGEST_S = 600;

type Kept = { pieces: ArrayBuffer[]; samples: number; rateHz: number };
const nothing = (): Kept => ({ pieces: [], samples: 0, rateHz: 0 });

/** Records what the computer's microphone or line input hears, with its level while it does. */
export function InputRecorder({ onDone, busy }: { onDone: (file: File) => void; busy: boolean }) {
  const [on, setOn] = useState(false);
  const [seconds, setSeconds] = useState(0);
  const kept = useRef<Kept>(nothing());
  const stop = useCallback(() => {
    setOn(false);
    const { pieces, rateHz } = kept.current;
    if (pieces.length > 0) onDone(new File([asWav(pieces, rateHz)], "recorded here.wav"));
  }, [onDone]);
  const keep = (samples: Float32Array, rateHz: number) => {
    const whole = kept.current;
    whole.pieces.push(inSixteenBits(samples));
    whole.samples += samples.length;
    whole.rateHz = rateHz;
    const now = Math.floor(whole.samples / rateHz);
    setSeconds(now);
    if (now >= LONGEST_S) stop();
  };
  const { heard, trouble } = useMicrophone(on, "", keep);
  if (!on) {
    return (
      <Stack gap={2}>
        <Box>
          <PlainButton
            disabled={busy}
            onClick={() => {
              kept.current = nothing();
              setSeconds(0);
              setOn(true);
            }}
          >
            Record from the input
          </PlainButton>
        </Box>
        <Trouble error={trouble} />
      </Stack>
    );
  }
  return (
    <Stack gap={2} data-testid="recording-now">
      <Text fontFamily="mono" aria-live="polite">
        {seconds} s, {LONGEST_S - seconds} s left
      </Text>
      <Text fontSize="15px" color={heard?.clipped ? "outside" : "dim"} data-testid="heard-words">
        {heard?.clipped ? "\u25b2 " : ""}
        {heard?.words ?? "listening ..."}
      </Text>
      <Flex>
        <LitButton onClick={stop}>Stop, and look at it</LitButton>
      </Flex>
      <Trouble error={trouble} />
    </Stack>
  );
}
