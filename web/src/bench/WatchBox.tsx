import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";

import { client, unwrap } from "../api/client";
import { PlainButton } from "../shared/Buttons";
import { FormDialog } from "../shared/FormDialog";
import { Trouble } from "../shared/Trouble";
import type { Bench, Live } from "../api/client";
import { useOfWatched, useWatched } from "./useLive";
import { useTone } from "./useTone";
import type { Watch } from "./useWatch";

type Props = {
  watch: Watch;
  large: boolean;
  watchable: Bench["watchable"];
  stopped: string;
  onStop: () => void;
  onCapture: () => void;
};

/** The value watched now with its peak held, its tone, the guard reading, and the way to stop. */
export function WatchBox({ watch, large, watchable, stopped, onStop, onCapture }: Props) {
  const [setting, setSetting] = useState(false);
  const reads = useOfWatched(watch.store, (w) => w.live !== null);
  const trouble = useOfWatched(watch.store, (w) => w.trouble);
  return (
    <Box>
      <LiveLines watch={watch} large={large} />
      <Flex gap={2} mt={reads ? 2 : 0}>
        <Small on={watch.on} words="Watch" keys="F6" onClick={watch.toggle} />
        <Small on={watch.tone} words="Tone" keys="F7" onClick={watch.toggleTone} />
        <Small on={watch.guard !== null} words="Guard" onClick={() => setSetting(true)} />
        <Small words="Capture" keys="F3" disabled={!reads} onClick={onCapture} />
        <Small words="All off" keys="F10" stops onClick={onStop} />
      </Flex>
      {stopped && (
        <Text role="status" mt={1} fontSize="15px" data-testid="stopped">
          {stopped}
        </Text>
      )}
      <Trouble error={trouble} />
      {setting && (
        <GuardDialog watch={watch} watchable={watchable} onClose={() => setSetting(false)} />
      )}
    </Box>
  );
}

/** What changes with every reading, and its tone. */
function LiveLines({ watch, large }: { watch: Watch; large: boolean }) {
  const { live } = useWatched(watch.store);
  useTone(watch.on && (watch.tone || Boolean(live?.must_sound)), live?.tone_hz ?? 0);
  if (!live) return null;
  return (
    <>
      {large && (
        <Text fontFamily="mono" fontSize="40px" lineHeight={1.1} data-testid="live">
          {live.label} {live.text}
        </Text>
      )}
      {large && (
        <Text fontSize="15px" data-testid="live-peak">
          peak held {live.held_text}: {live.words}
        </Text>
      )}
      {live.guard && <GuardLine guard={live.guard} />}
    </>
  );
}

type SmallProps = {
  on?: boolean;
  words: string;
  keys?: string;
  disabled?: boolean;
  stops?: boolean;
  onClick: () => void;
};

function Small({ on, words, keys, disabled, stops, onClick }: SmallProps) {
  return (
    <PlainButton
      flex="1"
      h="52px"
      px={1}
      flexDirection="column"
      gap={0}
      fontSize="15px"
      disabled={disabled ?? false}
      borderColor={stops ? "outside" : on ? "glow" : "edge"}
      color={stops ? "outside" : "ink"}
      {...(on === undefined ? {} : { "aria-pressed": on })}
      onClick={onClick}
    >
      <span>
        {on ? "● " : ""}
        {words}
      </span>
      <Text as="span" fontSize="13px" color={stops ? "outside" : "dim"} fontFamily="mono">
        {keys ?? "limits"}
      </Text>
    </PlainButton>
  );
}

function GuardLine({ guard }: { guard: NonNullable<Live["guard"]> }) {
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

type GuardProps = { watch: Watch; watchable: Bench["watchable"]; onClose: () => void };

function GuardDialog({ watch, watchable, onClose }: GuardProps) {
  return (
    <FormDialog
      title="Guard reading"
      words="One value watched through every step, with an alarm when it leaves its limits. Nothing at most ends the watch."
      fields={[
        {
          name: "what",
          label: "Watch",
          kind: "choice",
          choices: watchable,
        },
        { name: "low", label: "At least", kind: "text", placeholder: "180" },
        { name: "high", label: "At most", kind: "text", placeholder: "260" },
      ]}
      submit="Watch it"
      onSubmit={async (v) => {
        const guard = {
          what: v.what ?? "",
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
