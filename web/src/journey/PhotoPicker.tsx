import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { useRef, useState } from "react";

import type { Writing } from "./useWrite";
import { PlainButton } from "../shared/Buttons";
import { Trouble } from "../shared/Trouble";

type Props = { stepKey: string; writing: Writing };

/** Takes a photo from the camera or from files, with its title. */
export function PhotoPicker({ stepKey, writing }: Props) {
  const [title, setTitle] = useState("");
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const send = (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    const named = title.trim() || file.name.replace(/\.[a-z]+$/i, "");
    writing
      .sendPhoto(file, named, stepKey)
      .then(() => {
        setTitle("");
        setTrouble(null);
      }, setTrouble)
      .finally(() => setBusy(false));
  };
  return (
    <Box>
      <Flex gap={2} align="end">
        <Box>
          <Text asChild fontSize="15px" color="dim">
            <label htmlFor="photo-title">What it shows</label>
          </Text>
          <Input
            id="photo-title"
            h="44px"
            bg="raised"
            borderColor="edge"
            value={title}
            placeholder="underside, as it came"
            _placeholder={{ color: "dim" }}
            onChange={(event) => setTitle(event.target.value)}
          />
        </Box>
        <PlainButton busy={busy} onClick={() => input.current?.click()}>
          Add a photo
        </PlainButton>
      </Flex>
      <input
        ref={input}
        type="file"
        hidden
        accept="image/jpeg,image/png,image/webp"
        data-testid="photo-file"
        onChange={(event) => {
          send(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      <Trouble error={trouble} />
    </Box>
  );
}
