import { Box, Button, Flex, Input, Stack, Text, Textarea } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import { type Ask, client, ProblemError, type Schemas, type Step, unwrap } from "../api/client";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import type { Writes } from "./useWrites";
import { LitButton } from "../shared/Buttons";

type Props = {
  jobId: number;
  step: Step;
  ask: Ask;
  writes: Writes;
  /** A line taken at the bench, put into the input and marked as captured. */
  taken: { line: string; remarks: string[]; append: boolean } | null;
  onKept: (written: Schemas["Written"]) => void;
  /** The question changed in another window before this could be kept. */
  onLost: (error: unknown, typed: string) => void;
};

/** The one question of a step: a line of values, choices, texts, or a single "done". */
export function AskForm(props: Props) {
  const { ask } = props;
  if (ask.confirm) return <ConfirmForm {...props} />;
  if (ask.fields.some((f) => f.multiline || (!f.unit && f.options.length === 0))) {
    return <TextForm {...props} />;
  }
  if (ask.fields.every((f) => f.options.length > 0)) return <ChoiceForm {...props} />;
  return <LineForm {...props} />;
}

/** Sends an answer; a doubted one is kept when it is sent a second time unchanged. */
function useAnswer({ step, ask, writes, onKept, onLost }: Props) {
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const doubted = useRef("");
  const send = async (
    body: { line?: string; fields?: Record<string, string> },
    captured = false,
  ) => {
    const print = JSON.stringify(body);
    setBusy(true);
    try {
      const written = await writes.answer({
        step: step.key,
        ask: ask.key,
        line: body.line ?? null,
        fields: body.fields ?? {},
        confirmed: doubted.current === print,
        captured,
      });
      setTrouble(null);
      onKept(written);
    } catch (error) {
      const type = error instanceof ProblemError ? error.problem.type : "";
      const asks = type === "doubted";
      if (type === "changed-elsewhere" || type === "not-now") {
        onLost(error, body.line ?? Object.values(body.fields ?? {}).join("; "));
      }
      doubted.current = asks ? print : "";
      setTrouble(error);
    } finally {
      setBusy(false);
    }
  };
  return { send, trouble, setTrouble, busy };
}

function ConfirmForm(props: Props) {
  const { send, trouble, busy } = useAnswer(props);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => button.current?.focus(), []);
  return (
    <Stack gap={3}>
      <Text fontSize="18px">{props.ask.prompt}</Text>
      <Box>
        <LitButton
          ref={button}
          size="lg"
          h="52px"
          loading={busy}
          onClick={() => void send({ line: "done" })}
          data-testid="confirm"
        >
          It is so <KeyHint keys="Enter" />
        </LitButton>
      </Box>
      <Trouble error={trouble} />
    </Stack>
  );
}

function LineForm(props: Props) {
  const { ask, jobId, step, taken } = props;
  const { send, trouble, setTrouble, busy } = useAnswer(props);
  const [line, setLine] = useState("");
  const [captured, setCaptured] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const [seen, setSeen] = useState(taken);
  if (taken !== seen) {
    setSeen(taken);
    if (taken) {
      // a captured value joins what is typed already; a whole measurement replaces it
      const before = taken.append ? line.trim() : "";
      setLine(before ? `${before} ${taken.line}` : taken.line);
      setCaptured(true);
      setTrouble(null);
    }
  }
  useEffect(() => input.current?.focus(), [taken]);
  const echo = useEcho(jobId, step.key, ask.key, line);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void send({ line }, captured);
      }}
      noValidate
    >
      <Text fontSize="17px" mb={2} id="prompt">
        {ask.prompt}
      </Text>
      <Flex gap={3} align="center">
        <Input
          ref={input}
          value={line}
          onChange={(event) => {
            setLine(event.target.value);
            setCaptured(false);
          }}
          placeholder={ask.example}
          _placeholder={{ color: "dim", opacity: 0.55 }}
          aria-labelledby="prompt"
          aria-describedby="echo"
          autoComplete="off"
          spellCheck={false}
          h="72px"
          fontFamily="mono"
          fontSize="40px"
          bg="raised"
          borderColor="glow"
          borderWidth="2px"
          px={3}
          data-testid="line"
        />
        <LitButton type="submit" h="72px" px={4} loading={busy}>
          Keep <KeyHint keys="Enter" />
        </LitButton>
      </Flex>
      <Flex justify="space-between" gap={3} mt={1} minH="22px">
        <Text id="echo" fontFamily="mono" fontSize="15px" color="ink" data-testid="echo">
          {echo ? `read as ${echo}` : fieldWords(ask)}
        </Text>
        {ask.expected_text && (
          <Text fontSize="15px" color="dim" textAlign="right" data-testid="expected">
            expected: {ask.expected_text}
          </Text>
        )}
      </Flex>
      {taken?.remarks.map((remark) => (
        <Text key={remark} color="near" fontSize="15px">
          {remark}
        </Text>
      ))}
      <Trouble error={trouble} />
    </form>
  );
}

/** Which values the line wants, in order, and the unit of a bare number. */
const fieldWords = (ask: Ask) =>
  ask.fields.map((f) => (f.unit ? `${f.label} (${f.unit})` : f.label)).join(", then ");

/** What the server understands of the line so far; empty while it does not. */
function useEcho(jobId: number, step: string, ask: string, line: string) {
  const [echo, setEcho] = useState("");
  useEffect(() => {
    let current = true;
    const wait = setTimeout(() => {
      if (!line.trim()) {
        setEcho("");
        return;
      }
      const body = { step, ask, line };
      const params = { path: { job_id: jobId } };
      unwrap(client.POST("/api/jobs/{job_id}/previews", { params, body })).then(
        (answer) => current && setEcho(answer.echo),
        () => current && setEcho(""),
      );
    }, 120);
    return () => {
      current = false;
      clearTimeout(wait);
    };
  }, [jobId, step, ask, line]);
  return echo;
}

function ChoiceForm(props: Props) {
  const { ask } = props;
  const { send, trouble, busy } = useAnswer(props);
  const [chosen, setChosen] = useState<Record<string, string>>({});
  const first = useRef<HTMLButtonElement>(null);
  useEffect(() => first.current?.focus(), []);
  const single = ask.fields.length === 1;
  const choose = (name: string, option: string) => {
    const next = { ...chosen, [name]: option };
    setChosen(next);
    if (single) void send({ fields: next });
  };
  return (
    <Stack gap={3}>
      <Text fontSize="17px">{ask.prompt}</Text>
      {ask.fields.map((field, row) => (
        <Flex
          key={field.name}
          role="radiogroup"
          aria-label={field.label}
          align="center"
          gap={2}
          onKeyDown={(event) => {
            const option = field.options.find((o) => o.startsWith(event.key.toLowerCase()));
            if (option && /^[a-z]$/i.test(event.key)) {
              choose(field.name, option);
              document.getElementById(`choice-${row + 1}-0`)?.focus();
            }
          }}
        >
          {!single && <Text w="120px">{field.label}</Text>}
          {field.options.map((option, n) => (
            <Button
              key={option}
              id={`choice-${row}-${n}`}
              ref={row === 0 && n === 0 ? first : undefined}
              role="radio"
              aria-checked={chosen[field.name] === option}
              h="44px"
              minW="110px"
              variant="outline"
              borderColor={chosen[field.name] === option ? "glow" : "edge"}
              color={chosen[field.name] === option ? "onGlow" : "ink"}
              bg={chosen[field.name] === option ? "glow" : "raised"}
              onClick={() => choose(field.name, option)}
            >
              {option} <KeyHint keys={option.charAt(0)} />
            </Button>
          ))}
        </Flex>
      ))}
      {!single && (
        <Box>
          <LitButton
            id={`choice-${ask.fields.length}-0`}
            loading={busy}
            onClick={() => void send({ fields: chosen })}
          >
            Keep <KeyHint keys="Enter" />
          </LitButton>
        </Box>
      )}
      <Trouble error={trouble} />
    </Stack>
  );
}

function TextForm(props: Props) {
  const { ask } = props;
  const { send, trouble, busy } = useAnswer(props);
  const [texts, setTexts] = useState<Record<string, string>>({});
  const first = useRef<HTMLTextAreaElement & HTMLInputElement>(null);
  useEffect(() => first.current?.focus(), []);
  const put = (name: string, text: string) => setTexts({ ...texts, [name]: text });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void send({ fields: texts });
      }}
      onKeyDown={(event) => {
        if (event.ctrlKey && event.key === "Enter") event.currentTarget.requestSubmit();
      }}
      noValidate
    >
      <Text fontSize="17px" mb={2}>
        {ask.prompt}
      </Text>
      <Stack gap={2}>
        {ask.fields.map((field, n) => {
          const shared = {
            id: `text-${field.name}`,
            value: texts[field.name] ?? "",
            ref: n === 0 ? first : undefined,
            placeholder: n === 0 ? ask.example : "",
            _placeholder: { color: "dim" },
            bg: "raised",
            borderColor: n === 0 ? "glow" : "edge",
            fontSize: "16px",
            onChange: (event: React.ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) =>
              put(field.name, event.target.value),
          };
          return (
            <Box key={field.name}>
              <Text asChild fontSize="15px" color="dim">
                <label htmlFor={shared.id}>
                  {field.label}
                  {field.required ? "" : " (may stay empty)"}
                </label>
              </Text>
              {field.multiline ? <Textarea rows={2} {...shared} /> : <Input h="44px" {...shared} />}
            </Box>
          );
        })}
        <Box>
          <LitButton type="submit" loading={busy}>
            Keep <KeyHint keys="Ctrl+Enter" />
          </LitButton>
        </Box>
      </Stack>
      <Trouble error={trouble} />
    </form>
  );
}
