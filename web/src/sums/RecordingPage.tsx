import { Box, Flex, Grid, Heading, Stack, Text } from "@chakra-ui/react";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import { asRecording, client, type Schemas, unwrap } from "../api/client";
import { PlainButton } from "../shared/Buttons";
import { FilePicker } from "../shared/FilePicker";
import { Trouble } from "../shared/Trouble";
import { useAttempt } from "../shared/useAttempt";
import { InputRecorder } from "./InputRecorder";
import { Answer } from "./SumWork";

type Found = { name: string; answer: Schemas["SumShape"] };

/** A recording of the set's output: sent as it is, its figures beside it. */
function RecordingPage() {
  const [search] = useSearchParams();
  const [found, setFound] = useState<Found | null>(null);
  const { busy, trouble, attempt } = useAttempt();
  const beside = search.toString() ? `?${search.toString()}` : "";
  const look = (file: File) =>
    attempt(file.name, async () => {
      const answer = await unwrap(client.POST("/api/recordings", asRecording(file)));
      setFound({ name: file.name, answer });
    });
  return (
    <Grid
      as="main"
      templateColumns={{ base: "1fr", md: "minmax(0, 330px) minmax(0, 1fr)" }}
      gap={4}
      p={4}
      h={{ lg: "100%" }}
      minH={0}
      data-testid="recordings"
    >
      <Stack bg="panel" p={4} gap={3} minH={0} overflowY="auto">
        <Heading as="h1" fontSize="26px" fontWeight={500}>
          A recording
        </Heading>
        <Text color="dim" fontSize="15px">
          What a test tone comes to at the loudspeaker or detector: level, noise, distortion, hum.
          With the tone switched on and off every few seconds also (S+N)/N.
        </Text>
        <Text fontSize="15px">
          WAV as PCM, up to hours long; half a minute tells the noise closely. Record it with no
          gain control, no noise suppression and no effects.
        </Text>
        <Box>
          <FilePicker
            lit
            accept=".wav,.flac,audio/wav,audio/flac"
            testId="recording-file"
            disabled={busy}
            autoFocus
            onFile={(file) => void look(file)}
          >
            {busy ? "Looking at it ..." : "Choose a recording"}
          </FilePicker>
        </Box>
        <InputRecorder busy={busy} onDone={(file) => void look(file)} />
        <Trouble error={trouble} />
        <Flex>
          <PlainButton asChild>
            <Link to={`/sums${beside}`}>To the sums</Link>
          </PlainButton>
        </Flex>
      </Stack>
      <Stack bg="panel" p={4} gap={3} minH={0} overflowY="auto" opacity={busy ? 0.6 : 1}>
        {found ? (
          <>
            <Text color="dim" fontFamily="mono" data-testid="recording-name">
              {found.name}
            </Text>
            <Answer answer={found.answer} jobId={Number(search.get("job")) || null} />
          </>
        ) : (
          <Text color="dim">Nothing was looked at yet.</Text>
        )}
      </Stack>
    </Grid>
  );
}

export const route = { Component: RecordingPage };
