import { Flex, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { client, unwrap } from "../api/client";
import { instrumentsQuery } from "../api/queries";
import { PlainButton } from "./Buttons";
import { FilePicker } from "./FilePicker";
import { Trouble } from "./Trouble";

type Props = {
  /** How long the oscilloscope is to show, as typed; its own time base where nothing is. */
  seconds: string;
  onText: (text: string) => void;
};

/** Where a trace may come from besides pasting: a file, or an oscilloscope on the network. */
export function TraceSource({ seconds, onText }: Props) {
  const [name, setName] = useState("");
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const { data } = useQuery(instrumentsQuery);
  const scopes = (data ?? []).filter((i) => i.kind === "oscilloscope" && i.host);
  const read = async (file: File) => {
    setName(file.name);
    onText(textOf(await file.arrayBuffer()));
  };
  const take = async (id: number, called: string) => {
    setBusy(true);
    try {
      const path = { instrument_id: id };
      const wanted = Number(seconds.replace(",", ".").replace(/\s*s$/, ""));
      const body = { seconds: wanted > 0 ? wanted : 0.05 };
      const trace = await unwrap(
        client.POST("/api/instruments/{instrument_id}/trace", { params: { path }, body }),
      );
      const last = Math.max(trace.volts.length - 1, 1);
      const rows = trace.volts.map((volts, n) => `${(trace.seconds * n) / last},${volts}`);
      setName(called);
      setTrouble(null);
      onText([`${trace.x_label},${trace.y_label}`, ...rows].join("\n"));
    } catch (error) {
      setTrouble(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <Flex gap={2} align="center" wrap="wrap" mt={1}>
        <FilePicker
          accept=".csv,.txt,.tsv,.s2p,text/csv,text/plain"
          testId="trace-file"
          onFile={(file) => void read(file)}
        >
          From a file
        </FilePicker>
        {scopes.map((scope) => (
          <PlainButton key={scope.id} busy={busy} onClick={() => void take(scope.id, scope.name)}>
            From the {scope.name}
          </PlainButton>
        ))}
        {name && (
          <Text fontSize="15px" color="dim" data-testid="trace-from">
            from {name}
          </Text>
        )}
      </Flex>
      <Trouble error={trouble} />
    </>
  );
}

/** A file's text, by the mark that it begins with; what has none is UTF-8, or else Latin. */
export function textOf(bytes: ArrayBuffer): string {
  const [first, second] = new Uint8Array(bytes.slice(0, 2));
  if (first === 0xff && second === 0xfe) return new TextDecoder("utf-16le").decode(bytes);
  if (first === 0xfe && second === 0xff) return new TextDecoder("utf-16be").decode(bytes);
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder("latin1").decode(bytes);
  }
}
