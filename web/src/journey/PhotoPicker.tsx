import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { useState } from "react";

import type { Writing } from "./useWrite";
import { FilePicker } from "../shared/FilePicker";
import { Trouble } from "../shared/Trouble";

type Props = { stepKey: string; writing: Writing };

/** Takes a photo from the camera or from files, with its title. */
export function PhotoPicker({ stepKey, writing }: Props) {
  const [title, setTitle] = useState("");
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const send = (file: File) => {
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
        <FilePicker
          accept="image/jpeg,image/png,image/webp"
          testId="photo-file"
          busy={busy}
          onFile={send}
        >
          Add a photo
        </FilePicker>
      </Flex>
      <Trouble error={trouble} />
    </Box>
  );
}
