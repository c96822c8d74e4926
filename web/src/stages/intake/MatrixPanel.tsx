import { Box, Input, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";

import type { Schemas } from "../../api/client";
import { matrixQuery } from "../../api/queries";
import type { Writing } from "../../journey/useWrite";
import { Choice } from "../../shared/Choice";
import { Trouble } from "../../shared/Trouble";

type Matrix = Schemas["MatrixShape"];
type Props = { jobId: number; writing: Writing };

const SHAPES: Record<string, string> = { works: "◆", partly: "◧", fails: "▲", figure: "#" };
const COLOURS: Record<string, string> = {
  works: "inside",
  partly: "near",
  fails: "outside",
  figure: "ink",
};

/** Bands and modes by controls: w, p or f, a figure, and an oddity behind a slash; arrows move. */
export function MatrixPanel({ jobId, writing }: Props) {
  const { data, error } = useQuery(matrixQuery(jobId));
  if (!data) return <Trouble error={error} />;
  return <Grid matrix={data} writing={writing} />;
}

function Grid({ matrix, writing }: { matrix: Matrix; writing: Writing }) {
  const [trouble, setTrouble] = useState<unknown>(null);
  const table = useRef<HTMLTableElement>(null);
  // rows asked for here, until a cell of theirs is kept
  const [added, setAdded] = useState<string[]>([]);
  const rows = [...matrix.rows, ...matrix.more.filter((r) => added.includes(r.key))];
  const more = matrix.more.filter((r) => !added.includes(r.key));
  const move = (row: number, column: number) => {
    const cell = table.current?.querySelector<HTMLInputElement>(`[data-cell="${row} ${column}"]`);
    cell?.focus();
    cell?.select();
  };
  const found = (row: string, column: string) =>
    matrix.cells.find((c) => c.row === row && c.column === column);
  const keep = (row: string, column: string, text: string) => {
    if (text.trim() === (found(row, column)?.words ?? "")) return;
    writing
      .write("/api/jobs/{job_id}/matrix", { cells: [{ row, column, text }] })
      .then(() => setTrouble(null), setTrouble);
  };
  return (
    <Box as="section" aria-label="Function matrix" overflowX="auto" data-testid="matrix">
      <Text color="dim" fontSize="15px" mb={1}>
        w works, p partly, f fails, or a figure as S7 or 0.5 W; behind a / what was odd. Arrows and
        Enter move.
      </Text>
      <Table.Root size="sm" ref={table}>
        <Table.Header>
          <Table.Row bg="transparent">
            <Table.ColumnHeader p="4px" color="dim">
              band and mode
            </Table.ColumnHeader>
            {matrix.columns.map((column) => (
              <Table.ColumnHeader key={column} p="4px" color="dim">
                {column}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {rows.map((row, r) => (
            <Table.Row key={row.key} bg="transparent">
              <Table.Cell p="4px">{row.title}</Table.Cell>
              {matrix.columns.map((column, c) => (
                <Table.Cell key={column} p="2px" minW="130px">
                  <Cell
                    name={`${row.title}, ${column}`}
                    place={`${r} ${c}`}
                    state={found(row.key, column)?.state ?? ""}
                    words={found(row.key, column)?.words ?? ""}
                    onKeep={(text) => keep(row.key, column, text)}
                    onMove={(down, right) => move(r + down, c + right)}
                  />
                </Table.Cell>
              ))}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
      {more.length > 0 && (
        <Box mt={2} maxW="320px">
          <Choice
            label="Another row: a mode of a band, a calibrator"
            value=""
            choices={[
              { value: "", label: "none" },
              ...more.map((r) => ({ value: r.key, label: r.title })),
            ]}
            onChange={(key) => setAdded([...added, key])}
          />
        </Box>
      )}
      <Trouble error={trouble} />
    </Box>
  );
}

/** Left and right move to the next cell from the end of what is typed, or from all of it. */
function sideways(key: string, input: HTMLInputElement): [number, number] | undefined {
  const { selectionStart: from, selectionEnd: to, value } = input;
  const all = from === 0 && to === value.length;
  if (key === "ArrowLeft" && (all || (from === 0 && to === 0))) return [0, -1];
  if (key === "ArrowRight" && (all || (from === value.length && to === value.length)))
    return [0, 1];
  return undefined;
}

type CellProps = {
  name: string;
  place: string;
  state: string;
  words: string;
  onKeep: (text: string) => void;
  onMove: (down: number, right: number) => void;
};

function Cell({ name, place, state, words, onKeep, onMove }: CellProps) {
  const [text, setText] = useState(words);
  const [seen, setSeen] = useState(words);
  const [sent, setSent] = useState(words);
  // what was kept comes back as it was understood; what is being typed meanwhile stays as it is
  if (words !== seen) {
    setSeen(words);
    if (text === seen || text === sent) setText(words);
  }
  const keep = () => {
    setSent(text);
    onKeep(text);
  };
  const arrows: Record<string, [number, number]> = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    Enter: [1, 0],
  };
  return (
    <Box position="relative">
      {state && (
        <Text
          aria-hidden="true"
          position="absolute"
          left={2}
          top="11px"
          color={COLOURS[state] ?? "ink"}
          zIndex={1}
        >
          {SHAPES[state]}
        </Text>
      )}
      <Input
        h="44px"
        pl={state ? 7 : 2}
        bg="raised"
        borderColor="edge"
        fontSize="15px"
        value={text}
        aria-label={name}
        data-cell={place}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => {
          const way = arrows[event.key] ?? sideways(event.key, event.currentTarget);
          if (!way) return;
          event.preventDefault();
          // the cell keeps itself when the focus leaves it
          onMove(...way);
          if (document.activeElement === event.currentTarget) keep();
        }}
      />
    </Box>
  );
}
