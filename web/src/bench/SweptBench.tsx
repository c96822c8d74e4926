import { Flex, Text, VisuallyHidden } from "@chakra-ui/react";
import { startTransition, useEffect, useRef, useState } from "react";

import { type Bench, client, type PlotData, unwrap } from "../api/client";
import { PlainButton } from "../shared/Buttons";
import { Trouble } from "../shared/Trouble";

type Where = { jobId: number; step: string; ask: string };

const sweep = ({ jobId, step, ask }: Where, core: string, turns: number) =>
  unwrap(
    client.GET("/api/jobs/{job_id}/bench/sweep", {
      params: { path: { job_id: jobId }, query: { step, ask, core, turns } },
    }),
  );

type HereProps = Where & { onTable: (text: string) => void };

/** The simulated set swept as it stands, its samples put where a file's would be. */
export function SweepHere({ onTable, ...where }: HereProps) {
  const [words, setWords] = useState("");
  const [trouble, setTrouble] = useState<unknown>(null);
  const take = async () => {
    try {
      const found = await sweep(where, "", 0);
      onTable(found.table);
      setWords(found.words);
      setTrouble(null);
    } catch (error) {
      setTrouble(error);
    }
  };
  return (
    <>
      <Flex gap={3} align="center">
        <PlainButton onClick={() => void take()}>Sweep the simulated set</PlainButton>
        <Text fontSize="15px" color="dim" data-testid="swept-here">
          {words}
        </Text>
      </Flex>
      <Trouble error={trouble} />
    </>
  );
}

type TurnProps = Where & {
  core: string;
  /** The ways and amounts that the bench offers. */
  steps: Bench["turn_steps"];
  onSwept: (plot: PlotData | null) => void;
  onTyped: (line: string) => void;
};

/** A core of the simulated set turned while its curve is looked at; kept when the turn is entered. */
export function TurnAndSee({ core, steps, onSwept, onTyped, ...where }: TurnProps) {
  const [turned, setTurned] = useState(0);
  const [words, setWords] = useState("");
  const [trouble, setTrouble] = useState<unknown>(null);
  const wanted = useRef(0);
  const asking = useRef(false);
  useEffect(() => () => onSwept(null), [onSwept]);
  // keys may come faster than the set is swept: the last place counts
  const turn = async (by: number) => {
    wanted.current += by;
    setTurned(wanted.current);
    if (asking.current) return;
    asking.current = true;
    try {
      let shown = NaN;
      while (shown !== wanted.current) {
        shown = wanted.current;
        const found = await sweep(where, core, shown);
        onSwept(found.plot ?? null);
        // the curve first: words may follow a frame later
        startTransition(() => {
          onTyped(found.typed);
          setWords(found.words);
        });
      }
      setTrouble(null);
    } catch (error) {
      setTrouble(error);
    } finally {
      asking.current = false;
    }
  };
  return (
    <>
      <Flex gap={2} mt={2} align="center" wrap="wrap" role="group" aria-label="Turn it and see">
        {steps.map((step) => (
          <PlainButton key={step.turns} onClick={() => void turn(step.turns)}>
            <span aria-hidden="true">{step.turns > 0 ? "↷" : "↶"}</span> {step.words}
            <VisuallyHidden>{step.turns > 0 ? "clockwise" : "counter-clockwise"}</VisuallyHidden>
          </PlainButton>
        ))}
        <PlainButton disabled={turned === 0} onClick={() => void turn(-wanted.current)}>
          As it stood
        </PlainButton>
        <Text fontSize="15px" fontFamily="mono" role="status" data-testid="as-it-turns">
          {words}
        </Text>
      </Flex>
      <Trouble error={trouble} />
    </>
  );
}
