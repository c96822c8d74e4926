import { Box, Flex, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import { BareButton, LitButton } from "../shared/Buttons";

const WALKED = "glowdial.walked";

/** The parts of the page that are pointed at, by their test id or their element. */
const STOPS = [
  {
    at: "nav[aria-label=Journey]",
    title: "The way of the set",
    words:
      "From the door to the handover. Lit is what is done; a notch is trouble. Click a stop, or walk it by arrow keys and digits.",
  },
  {
    at: "[data-testid=step]",
    title: "One thing to do",
    words:
      "What to do now, why, what to expect, and one input. Type the reading and press Enter: it is judged at once, and the picture shows where your probes go.",
  },
  {
    at: "section[aria-label=Bench]",
    title: "The bench",
    words:
      "What the meters show. On a simulated or connected bench F2 takes the reading, and the arrow keys turn the core that is asked for.",
  },
  {
    at: "[data-testid=log-toggle]",
    title: "Nothing is lost",
    words: "Every reading, turn and decision stands in the log (F8), and goes into the report.",
  },
];

/** Whether this browser was walked around before; one that keeps nothing is not asked again. */
function walkedBefore() {
  try {
    return localStorage.getItem(WALKED) !== null;
  } catch {
    return true;
  }
}

/** Shown once, at the first job that is opened: four parts of the page, one after the other. */
export default function FirstWalk() {
  const [stop, setStop] = useState(() => (walkedBefore() ? STOPS.length : 0));
  const go = useRef<HTMLButtonElement>(null);
  const present = STOPS[stop];
  const place = usePlace(present?.at);
  useEffect(() => {
    if (present) go.current?.focus();
  }, [present]);
  if (!present) return null;
  const end = () => {
    try {
      localStorage.setItem(WALKED, "yes");
    } catch {
      // then it is only not remembered
    }
    setStop(STOPS.length);
  };
  const last = stop === STOPS.length - 1;
  return (
    <Box position="fixed" inset={0} zIndex={20} pointerEvents="none" data-testid="first-walk">
      {place && (
        <Box
          position="fixed"
          left={`${place.left - 4}px`}
          top={`${place.top - 4}px`}
          w={`${place.width + 8}px`}
          h={`${place.height + 8}px`}
          borderWidth="3px"
          borderColor="glow"
          borderRadius="6px"
        />
      )}
      <Box
        // no dialog: every key of the page, the alarm's first of all, goes on working
        role="region"
        aria-label="A short walk around the page"
        position="fixed"
        left="50%"
        top="50%"
        transform="translate(-50%, -50%)"
        w="440px"
        maxW="92vw"
        bg="raised"
        borderWidth="1px"
        borderColor="glow"
        borderRadius="6px"
        p={5}
        pointerEvents="auto"
        onKeyDown={(event) => {
          if (event.key === "Escape") end();
        }}
      >
        <Text color="dim" fontSize="14px">
          {stop + 1} of {STOPS.length}
        </Text>
        <Text fontFamily="heading" fontSize="22px">
          {present.title}
        </Text>
        <Text mt={1} fontSize="16px">
          {present.words}
        </Text>
        <Flex gap={3} mt={4} justify="space-between">
          <BareButton onClick={end}>Skip the walk</BareButton>
          <LitButton ref={go} onClick={() => (last ? end() : setStop(stop + 1))}>
            {last ? "To the set" : "Next"}
          </LitButton>
        </Flex>
      </Box>
    </Box>
  );
}

/** Where an element stands, read anew when the window changes. */
function usePlace(selector: string | undefined) {
  const [place, setPlace] = useState<DOMRect | null>(null);
  useEffect(() => {
    if (!selector) return undefined;
    const look = () => setPlace(document.querySelector(selector)?.getBoundingClientRect() ?? null);
    look();
    window.addEventListener("resize", look);
    return () => window.removeEventListener("resize", look);
  }, [selector]);
  return place;
}
