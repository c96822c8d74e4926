import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";

import { asRecording, client, unwrap } from "../api/client";

import { PlainButton } from "../shared/Buttons";
import { Choice } from "../shared/Choice";
import { FilePicker } from "../shared/FilePicker";
import { Trouble } from "../shared/Trouble";
import { useAttempt } from "../shared/useAttempt";
import { type Heard, useMicrophone } from "./useMicrophone";

type Props = {
  /** What was heard, put into the line. */
  onTake: (typed: string) => void;
};

/**
 * The computer's own microphone or line input as an indicator: what it hears now, and the highest; or
 * a recording that was made by another.
 */
export function Microphone({ onTake }: Props) {
  const [on, setOn] = useState(false);
  const [input, setInput] = useState("");
  const { heard, highest, forget, trouble, inputs } = useMicrophone(on, input);
  return (
    <Box mt={2} data-testid="microphone">
      <Flex gap={2} align="center" wrap="wrap">
        <PlainButton onClick={() => setOn(!on)} aria-pressed={on}>
          {on ? "Stop listening" : "Listen"}
        </PlainButton>
        {!on && <RecordedTone onTake={onTake} />}
        {on && (
          <>
            <Text fontFamily="mono" fontSize="20px" minW="150px" data-testid="heard">
              {heard ? heard.words : "listening ..."}
            </Text>
            <PlainButton
              disabled={!heard?.heard}
              onClick={() => heard?.heard && onTake(heard.typed)}
            >
              Take what it hears
            </PlainButton>
            {highest && (
              <>
                <PlainButton
                  onClick={() => {
                    onTake(highest.typed);
                    forget();
                  }}
                >
                  Take the highest, {highest.typed} %
                </PlainButton>
                <PlainButton onClick={forget}>Forget the highest</PlainButton>
              </>
            )}
          </>
        )}
        {on && inputs.length > 1 && (
          <Choice
            name="input"
            label="input"
            value={input || (inputs[0]?.id ?? "")}
            onChange={setInput}
            choices={inputs.map((i) => ({ value: i.id, label: i.name }))}
          />
        )}
      </Flex>
      <Trouble error={trouble} />
    </Box>
  );
}

/** The reading of a recording, put into the line as the microphone's is. */
function RecordedTone({ onTake }: Props) {
  const [found, setFound] = useState<Heard | null>(null);
  const { busy, trouble, attempt } = useAttempt();
  const read = (file: File) =>
    attempt(file.name, async () => {
      const heard = await unwrap(client.POST("/api/recordings/tone", asRecording(file)));
      setFound(heard);
      if (heard.heard) onTake(heard.typed);
    });
  return (
    <>
      <FilePicker
        accept=".wav,.flac,audio/wav,audio/flac"
        testId="recorded-tone"
        busy={busy}
        onFile={(file) => void read(file)}
      >
        From a recording
      </FilePicker>
      {found && (
        <Text fontFamily="mono" fontSize="18px" data-testid="recorded-words">
          {found.words}
        </Text>
      )}
      <Trouble error={trouble} />
    </>
  );
}
