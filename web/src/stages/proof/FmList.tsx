import { Flex, Text, Textarea } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { fmMeasurementsQuery } from "../../api/queries";
import type { Writing } from "../../journey/useWrite";
import { LitButton } from "../../shared/Buttons";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";

/** The step and the question that take the list, as the interface names them. */
const STEP = "proof.fm-list";
const ASK = "list";

/** The list of measurements as a document: taken as it is, or edited first. */
export function FmList({ writing }: { writing: Writing }) {
  const { data, error } = useQuery(fmMeasurementsQuery);
  const [edited, setEdited] = useState<string | null>(null);
  const { busy, trouble, attempt } = useAttempt();
  if (!data) return <Trouble error={error} />;
  const document = edited ?? data.document;
  const take = () =>
    attempt(document, async () => {
      await writing.write("/api/jobs/{job_id}/answers", {
        step: STEP,
        ask: ASK,
        line: null,
        fields: { [ASK]: document },
        confirmed: false,
      });
    });
  return (
    <Flex direction="column" gap={2} data-testid="fm-list">
      <Text fontSize="15px" color="dim">
        Each entry says what is set, what is varied, what is read, how it is reduced, and against
        which limit, with whose it is. Add, change or leave out what you like.
      </Text>
      <Textarea
        aria-label="List of measurements"
        value={document}
        onChange={(event) => setEdited(event.target.value)}
        rows={12}
        fontFamily="mono"
        fontSize="14px"
        spellCheck={false}
      />
      <Flex gap={3} align="center">
        <LitButton onClick={take} busy={busy}>
          Take this list
        </LitButton>
        <Trouble error={trouble} />
      </Flex>
    </Flex>
  );
}
