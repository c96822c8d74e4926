import { Box, Button, Flex, Heading, Stack, Text, Textarea } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { client, once, unwrap } from "../../api/client";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";
import { TemplateForm } from "./TemplateForm";
import { LitButton } from "../../shared/Buttons";

/** A data sheet for a model: from the template of the commonest circuit, or imported. */
function NewSheetPage() {
  const [way, setWay] = useState<"make" | "import">("make");
  const navigate = useNavigate();
  const queries = useQueryClient();
  const kept = async (id: number) => {
    await queries.invalidateQueries();
    await navigate(`/jobs/new?sheet=${id}`);
  };
  return (
    <Stack as="main" p={6} gap={4} maxW="1100px">
      <Flex gap={4} align="center" wrap="wrap">
        <Heading fontSize="28px" fontWeight={500}>
          A data sheet
        </Heading>
        {(["make", "import"] as const).map((which) => (
          <Button
            key={which}
            h="44px"
            variant="outline"
            aria-pressed={way === which}
            borderColor={way === which ? "glow" : "edge"}
            color={way === which ? "glow" : "ink"}
            onClick={() => setWay(which)}
          >
            {which === "make" ? "From the template" : "Import a JSON sheet"}
          </Button>
        ))}
      </Flex>
      {way === "make" ? <TemplateForm onKept={kept} /> : <ImportForm onKept={kept} />}
    </Stack>
  );
}

function ImportForm({ onKept }: { onKept: (id: number) => Promise<void> }) {
  const [text, setText] = useState("");
  const { busy, trouble, attempt } = useAttempt();
  const send = () =>
    attempt(text, async (key) => {
      const { id } = await unwrap(
        client.POST("/api/sheets", {
          body: text,
          bodySerializer: (body) => body,
          headers: { ...once(key), "content-type": "text/plain" },
        }),
      );
      await onKept(id);
    });
  return (
    <Stack gap={3}>
      <Text>
        The open sheet format is described by its schema at /api/schemas/sheet. A sheet is kept
        whole or not at all.
      </Text>
      <Box>
        <Text asChild fontSize="15px" color="dim">
          <label htmlFor="file">Choose the file, or paste its text below</label>
        </Text>
        <input
          id="file"
          type="file"
          accept=".json,application/json"
          style={{ minHeight: 44, display: "block", paddingTop: 8 }}
          onChange={(event) => {
            void event.target.files?.[0]?.text().then(setText);
          }}
        />
      </Box>
      <Textarea
        aria-label="Sheet as JSON"
        rows={14}
        fontFamily="mono"
        fontSize="14px"
        bg="raised"
        borderColor="edge"
        value={text}
        onChange={(event) => setText(event.target.value)}
        spellCheck={false}
      />
      <Trouble error={trouble} />
      <Box>
        <LitButton busy={busy} onClick={() => void send()}>
          Import the sheet
        </LitButton>
      </Box>
    </Stack>
  );
}

export const route = { Component: NewSheetPage };
