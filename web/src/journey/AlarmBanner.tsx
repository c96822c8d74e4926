import { Box, Flex, Stack, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import type { Job } from "../api/client";
import { takeFocus } from "../shared/asked";
import { LitButton } from "../shared/Buttons";
import { FormRow } from "../shared/FormRow";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import { type Writing, useWrite } from "./useWrite";

type Alarm = NonNullable<Job["alarm"]>;

/** The alarm of a job: over every page of it until it is switched off, and its cause and remedy said. */
export function AlarmBanner({ job, alarm }: { job: Job; alarm: Alarm }) {
  const writing = useWrite(job.job_id, job.version);
  return (
    <Box
      role="alert"
      aria-label="Alarm"
      bg="panel"
      borderWidth="4px"
      borderColor="outside"
      m={2}
      mb={0}
      px={4}
      py={2}
      flexShrink={0}
      className="no-print"
      data-testid="alarm"
    >
      <Flex gap={3} align="center" wrap="wrap">
        <Text fontSize="34px" lineHeight={1} color="outside" aria-hidden="true">
          ▲
        </Text>
        <Text
          fontSize="24px"
          fontWeight={600}
          lineHeight={1.15}
          color="outside"
          flex="1"
          minW="300px"
        >
          Alarm: {alarm.reasons.join("; ")}
          {alarm.switched_off ? "" : ". Switch off now!"}
        </Text>
        {!alarm.switched_off && <SwitchedOff writing={writing} />}
      </Flex>
      {alarm.switched_off && <Settle writing={writing} />}
    </Box>
  );
}

function SwitchedOff({ writing }: { writing: Writing }) {
  const [trouble, setTrouble] = useState<unknown>(null);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => takeFocus(button.current), []);
  const say = () =>
    writing
      .write("/api/jobs/{job_id}/alarms/switched-off", {})
      .then(() => setTrouble(null), setTrouble);
  return (
    <Stack gap={1}>
      <LitButton
        ref={button}
        h="52px"
        onClick={() => void say()}
        data-asked
        data-testid="switched-off"
      >
        It is switched off <KeyHint keys="Enter" />
      </LitButton>
      <Trouble error={trouble} />
    </Stack>
  );
}

function Settle({ writing }: { writing: Writing }) {
  const [cause, setCause] = useState("");
  const [done, setDone] = useState("");
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const first = useRef<HTMLInputElement>(null);
  useEffect(() => takeFocus(first.current), []);
  const send = async (event: React.FormEvent) => {
    event.preventDefault();
    if (busy) return;
    setBusy(true);
    try {
      await writing.write("/api/jobs/{job_id}/alarms/settlement", { cause, done });
    } catch (error) {
      setTrouble(error);
      setBusy(false);
    }
  };
  return (
    <form onSubmit={(event) => void send(event)} noValidate data-asked>
      <Flex gap={3} align="end" wrap="wrap" mt={1}>
        <Box flex="1" minW="220px">
          <FormRow
            label="The cause was"
            value={cause}
            onChange={setCause}
            placeholder="C12 shorted"
            hold={first}
            name="cause"
          />
        </Box>
        <Box flex="1" minW="220px">
          <FormRow
            label="What was done"
            value={done}
            onChange={setDone}
            placeholder="C12 renewed, R7 checked"
          />
        </Box>
        <LitButton type="submit" busy={busy}>
          End the alarm <KeyHint keys="Enter" />
        </LitButton>
      </Flex>
      <Text fontSize="14px" color="dim" mt={1}>
        Switched off. Nothing powered goes on before both are said.
      </Text>
      <Trouble error={trouble} />
    </form>
  );
}
