import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";

import { PlainButton } from "../shared/Buttons";
import { Choice } from "../shared/Choice";
import { Trouble } from "../shared/Trouble";
import { useMicrophone } from "./useMicrophone";

type Props = {
  /** What was heard, put into the line. */
  onTake: (typed: string) => void;
};

/** The computer's own microphone or line input as an indicator: what it hears now, and the highest. */
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
