import { Box, Flex, Input, Stack, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import {
  type Ask,
  type Bench,
  client,
  type PlotData,
  ProblemError,
  type Schemas,
  type Step,
  unwrap,
} from "../api/client";
import { Microphone } from "../bench/Microphone";
import { SweepHere, TurnAndSee } from "../bench/SweptBench";
import { asButtons, FieldSet, initialValues } from "../shared/FieldSet";
import { takeFocus } from "../shared/asked";
import { KeyHint } from "../shared/KeyHint";
import { Trouble } from "../shared/Trouble";
import type { Taken } from "./jobState";
import type { Writing } from "./useWrite";
import { LitButton } from "../shared/Buttons";

type Props = {
  jobId: number;
  step: Step;
  ask: Ask;
  writing: Writing;
  /** A line taken at the bench, put into the input. */
  taken: Taken | null;
  /** What came of it, and the reading that was sent, if it was taken at the bench. */
  onKept: (written: Schemas["Written"], sent: Taken | null) => void;
  /** The question changed in another window before this could be kept. */
  onLost: (error: unknown, typed: string) => void;
  /** Beside a picture, which has the ground. */
  compact: boolean;
  /** Told which value of the line is typed now, by its label, and whether the line is begun. */
  onCell: (cell: { label: string; begun: boolean }) => void;
  /** How a simulated set, which shows curves, may be turned; none without one. */
  turnSteps: Bench["turn_steps"];
  /** Given the curve as it turns. */
  onSwept: (plot: PlotData | null) => void;
};

/** The one question of a step: a line of values, choices, texts, or a single "done". */
export function AskForm(props: Props) {
  const { ask, step } = props;
  if (ask.confirm) return <ConfirmForm {...props} />;
  // values that move together are typed as a line; choices and words have a control each
  // what a bench can take and a table's row are lines too, words by their first letter
  const row = step.table?.rows.some((r) => r.ask === ask.key) ?? false;
  if (ask.fields[0]?.unit || ask.measurable || row) return <LineForm {...props} />;
  return <FieldsForm {...props} />;
}

/** Sends an answer; a doubted one is kept when it is sent a second time unchanged. */
function useAnswer({ step, ask, writing, taken, onKept, onLost }: Props) {
  const [trouble, setTrouble] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const working = useRef(false);
  const doubted = useRef("");
  const send = async (body: { line?: string; fields?: Record<string, string> }) => {
    // Enter pressed twice is one entry
    if (working.current) return;
    working.current = true;
    const print = JSON.stringify(body);
    setBusy(true);
    try {
      const written = await writing.write("/api/jobs/{job_id}/answers", {
        step: step.key,
        ask: ask.key,
        line: body.line ?? null,
        fields: body.fields ?? {},
        confirmed: doubted.current === print,
      });
      setTrouble(null);
      onKept(written, taken);
    } catch (error) {
      const type = error instanceof ProblemError ? error.problem.type : "";
      const asks = type === "doubted";
      if (type === "changed-elsewhere" || type === "not-now") {
        onLost(error, body.line ?? Object.values(body.fields ?? {}).join("; "));
      }
      doubted.current = asks ? print : "";
      setTrouble(error);
    } finally {
      working.current = false;
      setBusy(false);
    }
  };
  return { send, trouble, setTrouble, busy };
}

function ConfirmForm(props: Props) {
  const { send, trouble, busy } = useAnswer(props);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => takeFocus(button.current), []);
  return (
    <Stack gap={3}>
      <Text fontSize="18px">{props.ask.prompt}</Text>
      <Box>
        <LitButton
          ref={button}
          size="lg"
          h="52px"
          busy={busy}
          onClick={() => void send({ line: "done" })}
          data-testid="confirm"
          data-asked
        >
          It is so <KeyHint keys="Enter" />
        </LitButton>
      </Box>
      <Trouble error={trouble} />
    </Stack>
  );
}

function LineForm(props: Props) {
  const { ask, jobId, step, taken, compact, onCell, turnSteps, onSwept } = props;
  const { send, trouble, setTrouble, busy } = useAnswer(props);
  // the reading may be there before its input is
  const [line, setLine] = useState(taken?.line ?? "");
  const input = useRef<HTMLInputElement>(null);
  const [seen, setSeen] = useState(taken);
  if (taken !== seen) {
    setSeen(taken);
    if (taken) {
      // a captured value joins what is typed already; a whole measurement replaces it
      const before = taken.append ? line.trim() : "";
      setLine(before ? `${before} ${taken.line}` : taken.line);
      setTrouble(null);
    }
  }
  useEffect(() => takeFocus(input.current), [taken]);
  const echo = useEcho(jobId, step.key, ask.key, line);
  // a row of a table may be typed as one line, or value by value with Enter between
  const wanted = step.table ? ask.fields.filter((f) => f.required).length : 1;
  const cell = ask.fields[Math.min(cellOf(line), ask.fields.length - 1)]?.label ?? "";
  const begun = line !== "";
  useEffect(() => onCell({ label: cell, begun }), [onCell, cell, begun]);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        const { next, whole } = entered(line, wanted);
        if (whole) void send({ line: next });
        else setLine(next);
      }}
      noValidate
    >
      <Text fontSize="17px" mb={2} id="prompt">
        {ask.prompt}
      </Text>
      <Flex gap={3} align="center">
        <Box flex="1" minW={0} css={{ containerType: "inline-size" }}>
          <Input
            ref={input}
            value={line}
            onChange={(event) => setLine(event.target.value)}
            placeholder={ask.example}
            _placeholder={{ color: "dim", opacity: 0.55 }}
            aria-labelledby="prompt"
            aria-describedby="echo"
            autoComplete="off"
            spellCheck={false}
            h={compact ? "56px" : "72px"}
            fontFamily="mono"
            fontSize={sizeFor(Math.max(ask.example.length, line.length))}
            bg="raised"
            borderColor="glow"
            borderWidth="2px"
            px={3}
            data-testid="line"
            data-asked
          />
        </Box>
        <LitButton type="submit" h={compact ? "56px" : "72px"} px={4} busy={busy}>
          Keep <KeyHint keys="Enter" />
        </LitButton>
      </Flex>
      <Flex justify="space-between" gap={3} mt={1} minH="22px">
        <Text id="echo" fontFamily="mono" fontSize="15px" color="ink" data-testid="echo">
          {echo ? (echo.startsWith("at ") ? echo : `read as ${echo}`) : fieldWords(ask)}
        </Text>
        {ask.expected_text && (
          <Text fontSize="15px" color="dim" textAlign="right" data-testid="expected">
            expected: {ask.expected_text}
          </Text>
        )}
      </Flex>
      {turnSteps.length > 0 && ask.swept && (
        <TurnAndSee
          jobId={jobId}
          step={step.key}
          ask={ask.key}
          core={ask.swept}
          steps={turnSteps}
          onSwept={onSwept}
          onTyped={setLine}
        />
      )}
      {ask.listens && (
        <Microphone
          onTake={(typed) => {
            setLine((before) => `${before.trim()} ${typed}`.trim());
            takeFocus(input.current);
          }}
        />
      )}
      {taken?.remarks.map((remark) => (
        <Text key={remark} color="near" fontSize="15px">
          {remark}
        </Text>
      ))}
      <Trouble error={trouble} />
    </form>
  );
}

const valuesOf = (line: string) => line.split(/\s+/).filter(Boolean);

/** Which value of a line is typed now, counted from 0. */
const cellOf = (line: string) =>
  Math.max(valuesOf(line).length - (/\s$/.test(line) || line === "" ? 0 : 1), 0);

/**
 * What Enter makes of a row of `wanted` values that is typed one by one: the row with room for its
 * next value, or the whole of it. Enter on an empty value leaves that blank. A word among the values
 * goes at once, as it stands: it may be a sign of danger.
 */
export function entered(line: string, wanted: number): { next: string; whole: boolean } {
  const values = valuesOf(line);
  const plain = values.every((value) => /^[-+.,\d]/.test(value));
  if (!plain || values.length === 0 || values.length >= wanted) return { next: line, whole: true };
  const all = /\s$/.test(line) ? [...values, "-"] : values;
  const whole = all.length >= wanted;
  return { next: whole ? all.join(" ") : `${all.join(" ")} `, whole };
}

/** As large as the whole of the line, or of its example, has room for. */
const sizeFor = (letters: number) => `min(40px, calc(150cqw / ${Math.max(letters, 1)}))`;

/** Which values the line wants, in order, and the unit of a bare number. */
const fieldWords = (ask: Ask) =>
  [true, false]
    .map((required) =>
      ask.fields
        .filter((f) => f.required === required)
        .map((f) => {
          const said = f.unit || f.options.join(", ");
          return said ? `${f.label} (${said})` : f.label;
        })
        .join(required ? ", then " : ", "),
    )
    .filter(Boolean)
    .join("; if read: ");

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

function FieldsForm(props: Props) {
  const { ask, turnSteps } = props;
  const { send, trouble, busy } = useAnswer(props);
  const [values, setValues] = useState<Record<string, string>>(initialValues(ask.fields));
  const [only, ...more] = ask.fields;
  const single = only !== undefined && more.length === 0 && asButtons(only);
  const buttons = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // a question of one choice has no form's end to press
    if (single) takeFocus(buttons.current?.querySelector<HTMLElement>("[role=radio]"));
  }, [single]);
  const long = ask.fields.some((f) => f.multiline);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void send({ fields: values });
      }}
      onKeyDown={(event) => {
        const picked = event.target instanceof HTMLSelectElement && !more.length;
        if (event.key === "Enter" && (event.ctrlKey || picked)) event.currentTarget.requestSubmit();
      }}
      noValidate
      data-testid="fields"
      data-asked
    >
      <Text fontSize="17px" mb={2}>
        {ask.prompt}
      </Text>
      <Stack gap={2} ref={buttons}>
        <FieldSet
          id="ask"
          focus
          fields={ask.fields}
          values={values}
          onChange={setValues}
          example={ask.example}
          {...(single
            ? { onChosen: (next: Record<string, string>) => void send({ fields: next }) }
            : {})}
        />
        {turnSteps.length > 0 && ask.swept && (
          <Box>
            <SweepHere
              jobId={props.jobId}
              step={props.step.key}
              ask={ask.key}
              onTable={(text) => setValues((now) => ({ ...now, [ask.swept]: text }))}
            />
          </Box>
        )}
        {ask.expected_text && (
          <Text fontSize="15px" color="dim" data-testid="expected">
            {ask.expected_text}
          </Text>
        )}
        {!single && (
          <Box>
            <LitButton type="submit" busy={busy}>
              Keep <KeyHint keys={long ? "Ctrl+Enter" : "Enter"} />
            </LitButton>
          </Box>
        )}
      </Stack>
      <Trouble error={trouble} />
    </form>
  );
}
