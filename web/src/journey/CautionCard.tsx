import { Box, Heading, Stack, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import type { Step } from "../api/client";
import { takeFocus } from "../shared/asked";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import type { Writing } from "./useWrite";
import { LitButton } from "../shared/Buttons";

/** The caution that waits in this step; its readings open when all are acknowledged. */
export function CautionCard({ step, writing }: { step: Step; writing: Writing }) {
  const caution = step.cautions[0];
  const button = useRef<HTMLButtonElement>(null);
  const [trouble, setTrouble] = useState<unknown>(null);
  const danger = caution?.danger ?? "";
  useEffect(() => takeFocus(button.current), [danger]);
  if (!caution) return null;
  const acknowledge = () =>
    writing
      .write("/api/jobs/{job_id}/acknowledgements", { step: step.key, danger: caution.danger })
      .then(() => setTrouble(null), setTrouble);
  return (
    <Stack
      gap={3}
      borderWidth="2px"
      borderColor="outside"
      borderRadius="4px"
      p={4}
      role="group"
      aria-label={`Caution: ${caution.danger}`}
      data-testid="caution"
    >
      <Heading fontSize="22px" color="outside">
        ▲ Caution: {caution.danger}
      </Heading>
      {caution.sentences.map((sentence) => (
        <Text key={sentence} fontSize="18px">
          {sentence}
        </Text>
      ))}
      <Box>
        <LitButton
          ref={button}
          h="52px"
          onClick={() => void acknowledge()}
          data-testid="acknowledge"
          data-asked
        >
          I have seen to it <KeyHint keys="Enter" />
        </LitButton>
        <Text as="span" ml={3} color="dim" fontSize="15px">
          {step.cautions.length > 1
            ? `${step.cautions.length - 1} more after this`
            : "the last one"}
        </Text>
      </Box>
      <Trouble error={trouble} />
    </Stack>
  );
}
