import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";

import { client, unwrap } from "../api/client";
import { PlainButton } from "../shared/Buttons";
import { FormDialog } from "../shared/FormDialog";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import type { GuardReading } from "./useLive";
import type { Watch } from "./useWatch";

type Props = {
  watch: Watch;
  large: boolean;
  stopped: string;
  onStop: () => void;
  onCapture: () => void;
};

/** The value watched now with its peak held, its tone, the guard reading, and the way to stop. */
export function WatchBox({ watch, large, stopped, onStop, onCapture }: Props) {
  const [setting, setSetting] = useState(false);
  const { live } = watch;
  return (
    <Box>
      {live && (
        <>
          {large && (
            <Text fontFamily="mono" fontSize="40px" lineHeight={1.1} data-testid="live">
              {live.text}
            </Text>
          )}
          <Text fontSize="15px" data-testid="live-peak">
            {large ? "" : `now ${live.text}; `}peak held {live.held.toFixed(3)} V: {live.words}
          </Text>
          {live.guard && <GuardLine guard={live.guard} />}
        </>
      )}
      <Flex gap={2} mt={2} wrap="wrap">
        <Small on={watch.on} words="Watch" keys="F6" onClick={watch.toggle} />
        <Small on={watch.tone} words="Tone" keys="F7" onClick={watch.toggleTone} />
        <Small on={watch.guard !== null} words="Guard" onClick={() => setSetting(true)} />
        <Small words="Capture" keys="F3" disabled={!live} onClick={onCapture} />
        <PlainButton
          px={3}
          fontSize="15px"
          borderColor="outside"
          color="outside"
          onClick={onStop}
          data-testid="stop"
        >
          All outputs off <KeyHint keys="F10" />
        </PlainButton>
      </Flex>
      {stopped && (
        <Text role="status" mt={1} fontSize="15px" data-testid="stopped">
          {stopped}
        </Text>
      )}
      <Trouble error={watch.trouble} />
      {setting && <GuardDialog watch={watch} onClose={() => setSetting(false)} />}
    </Box>
  );
}

type SmallProps = {
  on?: boolean;
  words: string;
  keys?: string;
  disabled?: boolean;
  onClick: () => void;
};

function Small({ on, words, keys, disabled, onClick }: SmallProps) {
  return (
    <PlainButton
      px={3}
      fontSize="15px"
      disabled={disabled ?? false}
      borderColor={on ? "glow" : "edge"}
      {...(on === undefined ? {} : { "aria-pressed": on })}
      onClick={onClick}
    >
      {on ? "● " : ""}
      {words} {keys && <KeyHint keys={keys} />}
    </PlainButton>
  );
}

function GuardLine({ guard }: { guard: GuardReading }) {
  return (
    <Text
      role={guard.alarm ? "alert" : undefined}
      data-testid="guard"
      mt={1}
      px={2}
      fontSize={guard.alarm ? "20px" : "15px"}
      borderLeftWidth="4px"
      borderColor={guard.alarm ? "outside" : "inside"}
      color={guard.alarm ? "outside" : "ink"}
    >
      {guard.alarm ? "▲ " : "◆ "}
      {guard.label} {guard.text}, {guard.words}
      {guard.alarm ? ": switch off with F10" : ""}
    </Text>
  );
}

function GuardDialog({ watch, onClose }: { watch: Watch; onClose: () => void }) {
  return (
    <FormDialog
      title="Guard reading"
      words="One value watched through every step, with an alarm when it leaves its limits. Nothing at most ends the watch."
      fields={[
        {
          name: "what",
          label: "Watch",
          kind: "choice",
          choices: [
            { value: "b-plus", label: "B+ in volts" },
            { value: "line current", label: "line current in mA" },
          ],
        },
        { name: "low", label: "At least", kind: "text", placeholder: "180" },
        { name: "high", label: "At most", kind: "text", placeholder: "260" },
      ]}
      submit="Watch it"
      onSubmit={async (v) => {
        const guard = {
          what: v.what ?? "b-plus",
          low: v.low?.trim() ?? "",
          high: v.high?.trim() ?? "",
        };
        if (guard.high) {
          const body = { guard: guard.what, low: guard.low, high: guard.high };
          await unwrap(client.POST("/api/calc/guard", { body }));
        }
        watch.watchOver(guard.high ? guard : null);
      }}
      onClose={onClose}
    />
  );
}
