"""Everything that was observed of a set, as findings of fault tracing: nothing is typed again.

Which finding is later than which repair is decided here, as it is in the record of readings.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from glowdial.core.journey.function_matrix import MATRIX, PLAYS, Cell, CellState, Matrix, matrix_of
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Result, Step
from glowdial.core.language.levels import db_voltage
from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind
from glowdial.core.model.facts import WindingFact
from glowdial.core.tracing.failures import Symptom
from glowdial.core.tracing.trials import (
    Finding,
    Outcome,
    Trial,
    TrialKind,
    function_key,
    possible_trials,
)

OUTCOMES: Mapping[CellState, Outcome] = {
    CellState.WORKS: Outcome.GOOD,
    CellState.PARTLY: Outcome.PARTLY,
    CellState.FAILS: Outcome.BAD,
}
# what happens along with something else shares a switch, a relay, a connector or a supply
SHARED = (
    BlockKind.SWITCH,
    BlockKind.RELAY,
    BlockKind.CONNECTOR,
    BlockKind.SUPPLY,
    BlockKind.REGULATOR,
)
ODDITY_LIES = 0.3
POOR_SHARE = 0.5
# how people speak of what is wrong with what plays
SPOKEN: Mapping[Symptom, tuple[str, ...]] = {
    Symptom.DISTORTION: ("distort", "harsh", "garbled"),
    Symptom.HUM: ("hum",),
    Symptom.NOISE: ("crackl", "scratch", "nois"),
    Symptom.SQUEAL: ("squeal", "whistl", "motor-boat", "motorboat", "howl"),
    Symptom.DRIFT: ("drift",),
}
AVC_WORKING = " avc"
# how the answers of each kind of test are said, good first; the first letters differ
ANSWERS: Mapping[TrialKind, tuple[str, ...]] = {
    TrialKind.FUNCTION: ("works", "partly", "fails"),
    TrialKind.INJECTION: ("works", "partly", "fails"),
    TrialKind.TRACING: ("works", "partly", "fails"),
    TrialKind.GAIN: ("works", "partly", "fails"),
    TrialKind.QUIETING: ("gone", "less", "still there"),
    TrialKind.LOOK: ("nothing to see", "something"),
    TrialKind.RESEAT: ("no change", "changes"),
    TrialKind.VOLTS: ("right", "wrong"),
    TrialKind.OHMS: ("right", "wrong"),
    TrialKind.SUBSTITUTION: ("no change", "changes"),
    TrialKind.TAP: ("no change", "comes and goes"),
    TrialKind.HEAT: ("no change", "comes and goes"),
    TrialKind.COOL: ("no change", "comes and goes"),
    TrialKind.OSCILLATION: ("alive over the band", "dead", "only over part of it"),
    TrialKind.BELIEF: ("no", "yes"),
}


@dataclass(frozen=True, slots=True)
class Evidence:
    """A finding with what is said of it, and what it came from."""

    finding: Finding
    said: str
    source: str


def outcome_of(trial: Trial, answer: str) -> Outcome:
    """What an answer means: the first is as it should be, a middle one not quite."""
    place = ANSWERS[trial.kind].index(answer)
    if place == 0:
        return Outcome.GOOD
    middle = len(ANSWERS[trial.kind]) > 2 and place == 1 and trial.kind is not TrialKind.OSCILLATION
    return Outcome.PARTLY if middle else Outcome.BAD


def trials_by_key(diagram: BlockDiagram, symptom: Symptom) -> dict[str, Trial]:
    """Every possible test, with the AVC clamped and working; those it makes no difference to
    once."""
    found = {t.key: t for t in possible_trials(diagram, symptom)}
    for trial in possible_trials(diagram, symptom, controlled=True):
        if trial.reduced < 1.0:
            key = f"{trial.key}{AVC_WORKING}"
            found[key] = replace(trial, key=key)
    return found


def gathered(
    situation: Situation, diagram: BlockDiagram, symptom: Symptom, trials: Mapping[str, Trial]
) -> tuple[Evidence, ...]:
    """What the job's record tells before anything is traced: the function matrix, the chart's
    volts, the supply, windings."""
    return (
        *_from_matrix(situation, diagram, symptom, trials),
        *_from_volts(situation.before, diagram, trials),
        *_from_windings(situation, diagram, trials),
    )


def _from_matrix(
    situation: Situation, diagram: BlockDiagram, symptom: Symptom, trials: Mapping[str, Trial]
) -> Iterable[Evidence]:
    matrix = matrix_of(situation.facts, situation.record)
    titles = {row.key: row.title for row in (*matrix.rows, *matrix.more)}
    entered = {line.key: line.seq for line in situation.record.register(MATRIX)}
    positions = {p.key for p in diagram.positions}
    best = _best_figure(matrix)
    for (row, column), cell in matrix.cells.items():
        if column != PLAYS or row not in positions:
            continue
        seq = entered.get(f"{row}|{column}", 0)
        trial = trials.get(function_key(row, symptom))
        outcome = _cell_outcome(cell, symptom, best)
        if trial is not None and outcome is not None:
            said = f"{titles.get(row, row)} {cell.words}"
            yield Evidence(Finding(trial, outcome, seq=seq), said, "function matrix")
        if cell.oddity and symptom_in(cell.oddity) is None:
            yield from _oddity(diagram, row, titles.get(row, row), cell, seq)


def symptom_in(oddity: str) -> Symptom | None:
    """What a remark on how something plays speaks of; None for a side effect."""
    words = oddity.lower()
    return next(
        (s for s, stems in SPOKEN.items() if any(stem in words for stem in stems)),
        None,
    )


def _figure_of(cell: Cell) -> float | None:
    found = re.search(r"\d+(?:[.,]\d+)?", cell.figure) if cell.state is CellState.FIGURE else None
    return float(found.group().replace(",", ".")) if found else None


def _best_figure(matrix: Matrix) -> float | None:
    """The highest figure of how something plays; None with fewer than two to compare."""
    figures = [
        f for (_, column), c in matrix.cells.items() if column == PLAYS and (f := _figure_of(c))
    ]
    return max(figures) if len(figures) > 1 else None


def _cell_outcome(cell: Cell, symptom: Symptom, best: float | None = None) -> Outcome | None:
    """What a cell says of what is looked for: where nothing comes out nothing else is heard, and
    what hums or distorts does play."""
    told = symptom_in(cell.oddity)
    figure = _figure_of(cell)
    if symptom is Symptom.SIGNAL and figure is not None:
        if best is None:
            return None
        # less than half of what the best position shows is not as it should be
        return Outcome.PARTLY if figure < POOR_SHARE * best else Outcome.GOOD
    if symptom is Symptom.SIGNAL:
        plays = told is not None and cell.state is not CellState.FAILS
        return Outcome.GOOD if plays else OUTCOMES.get(cell.state)
    if cell.state is CellState.FAILS:
        return None
    if told is symptom:
        return Outcome.BAD
    return Outcome.GOOD if told is None and cell.state is CellState.WORKS else None


def _oddity(
    diagram: BlockDiagram, row: str, title: str, cell: Cell, seq: int
) -> Iterable[Evidence]:
    """A side effect points at what is shared: switches, relays, connectors, supplies."""
    shared = tuple(k for k in diagram.way(row) if diagram.block(k).kind in SHARED)
    if shared:
        trial = Trial(
            f"oddity {row}",
            TrialKind.FUNCTION,
            row,
            shared,
            Symptom.ANY,
            f"{title}: {cell.oddity}",
            lie=ODDITY_LIES,
        )
        said = f"{title}, odd: {cell.oddity}"
        yield Evidence(Finding(trial, Outcome.BAD, seq=seq), said, "function matrix")


def _from_volts(
    before: Iterable[Step], diagram: BlockDiagram, trials: Mapping[str, Trial]
) -> Iterable[Evidence]:
    """Each block by the verdicts on its stages' electrodes; the supply by its own."""
    results = [r for step in before for r in step.results if not r.stale and not r.as_found]
    for block in diagram.blocks:
        trial = trials.get(f"{TrialKind.VOLTS} {block.key}")
        if trial is None:
            continue
        mine = [r for r in results if r.label.split(" ")[0] in block.stages and " " in r.label]
        if block.kind is BlockKind.SUPPLY:
            mine = [r for r in results if r.label in ("B+", "reservoir")]
        if mine:
            yield _volts(trial, block.name, mine)


def _volts(trial: Trial, name: str, results: list[Result]) -> Evidence:
    off = [r for r in results if r.judgement.verdict.outside]
    seq = max(r.seq for r in results)
    outcome = Outcome.BAD if off else Outcome.GOOD
    said = f"{name}: volts as expected"
    if off:
        said = f"{off[0].label} reads {off[0].text}, {off[0].judgement.words}"
    return Evidence(Finding(trial, outcome, seq=seq), said, "volts")


def _from_windings(
    situation: Situation, diagram: BlockDiagram, trials: Mapping[str, Trial]
) -> Iterable[Evidence]:
    """Each block by the windings in it that were measured: one that is off is enough."""
    blocks = {w.name: winding_block(diagram, w) for w in situation.facts.windings}
    measured: dict[str, list[Result]] = {}
    for step in situation.before:
        for result in step.results:
            block = blocks.get(result.label)
            if block is not None and not result.stale:
                measured.setdefault(block.key, []).append(result)
    for key, results in measured.items():
        trial = trials.get(f"{TrialKind.OHMS} {key}")
        if trial is not None:
            told = next((r for r in results if r.judgement.verdict.outside), results[0])
            outcome = Outcome.BAD if told.judgement.verdict.outside else Outcome.GOOD
            said = f"{told.label} {told.text}, {told.judgement.words}"
            yield Evidence(Finding(trial, outcome, seq=told.seq), said, "windings")


def winding_block(diagram: BlockDiagram, winding: WindingFact) -> Block | None:
    """The block that a winding is in: the one that its key begins with ("t1-primary"), else by its
    area the oscillator's coil of the band that its key ends with ("osc-sw"), the output stage
    ("output-primary") or the supply; None where nothing says."""
    begun = [b for b in diagram.blocks if f"{winding.key}-".startswith(f"{b.key}-")]
    if begun:
        return max(begun, key=lambda b: len(b.key))
    first, _, last = winding.key.partition("-")
    oscillators = {b.key for b in diagram.blocks if b.kind is BlockKind.OSCILLATOR}
    coils = {x.source for x in diagram.links if x.to in oscillators}
    for block in diagram.blocks:
        coil = block.key in coils and any(p.split(" ")[0] == last for p in block.used_in)
        output = block.kind is BlockKind.OUTPUT and first == "output"
        supply = block.kind is BlockKind.SUPPLY
        if {"oscillator": coil, "audio": output, "supply": supply}.get(winding.area, False):
            return block
    return None


def answer_of(finding: Finding) -> str:
    """A finding in the words in which its test is answered."""
    answers = ANSWERS[finding.trial.kind]
    if finding.loss_db is not None:
        lost = finding.loss_db
        return answers[0] if lost < LEAST_LOSS_DB else answers[-1 if finding.floor else 1]
    if finding.outcome is Outcome.GOOD:
        return answers[0]
    if finding.trial.kind is TrialKind.OSCILLATION:
        return answers[1]
    return answers[1] if finding.outcome is Outcome.PARTLY else answers[-1]


def level_of(finding: Finding, expected_v: float) -> float | None:
    """The level that a loss makes of what is expected; None where nothing can be read."""
    if finding.loss_db is None or finding.floor:
        return None
    factor = float(10.0 ** (finding.loss_db / 20.0))
    more = finding.trial.kind is TrialKind.INJECTION
    return expected_v * factor if more else expected_v / factor


LEAST_LOSS_DB = 3.0
# where a levelled test shows nothing at all, at least so much is lost
NOTHING_DB = 60.0


def from_answer(answer: Answer, trials: Mapping[str, Trial]) -> Evidence | None:
    """What was entered for a test of fault tracing; None for another question."""
    trial = trials.get(answer.ask)
    found = answer.texts.get("found", "")
    if trial is None or not found:
        return None
    said = f"{trial.words}: {found}"
    expected_v = dict(answer.point).get("expected")
    if trial.levelled and expected_v is not None:
        if "level" in answer.values:
            lost = level_lost_db(trial, answer.values["level"], expected_v)
            said = f"{said}, {lost:.0f} dB short" if lost >= LEAST_LOSS_DB else said
            return Evidence(Finding(trial, loss_db=lost, seq=answer.seq), said, "tracing")
        if outcome_of(trial, found) is Outcome.BAD:
            gone = Finding(trial, loss_db=NOTHING_DB, floor=True, seq=answer.seq)
            return Evidence(gone, said, "tracing")
    return Evidence(Finding(trial, outcome_of(trial, found), seq=answer.seq), said, "tracing")


def evidence_of(answer: Answer, trial: Trial, outcome: Outcome, said: str, source: str) -> Evidence:
    """An outcome that was worked out of an answer."""
    return Evidence(Finding(trial, outcome, seq=answer.seq), said, source)


def level_lost_db(trial: Trial, level_v: float, expected_v: float) -> float:
    """How many dB are short: more signal wanted at an injection, less there at a tracing."""
    if trial.kind is TrialKind.INJECTION:
        return db_voltage(level_v / expected_v)
    return db_voltage(expected_v / level_v)


def block_said(record: JobRecord, step: str, ask: str) -> tuple[str, ...]:
    """The name of the block that was entered last for a question of that kind: the one that
    somebody believes in, or that was touched last."""
    answer = record.latest(step, ask)
    return (answer.texts["block"],) if answer and answer.texts.get("block") else ()


def in_order(evidence: Iterable[Evidence]) -> list[Evidence]:
    """By the entries that it came from."""
    return sorted(evidence, key=_entry)


def _entry(one: Evidence) -> int:
    return one.finding.seq


def entered_before(evidence: Iterable[Evidence], answer: Answer) -> list[Evidence]:
    """What was known when an answer was entered."""
    return [e for e in evidence if _entry(e) < answer.seq]


def since_mended(evidence: Iterable[Evidence], mended: Mapping[str, Answer]) -> list[Evidence]:
    """What still counts after blocks were mended, by the entries that say so: what ran through a
    mended one before tells nothing of the others; what did not still does."""

    def spoiled(one: Evidence) -> bool:
        reach = one.finding.trial.reach
        return any(b in reach and _entry(one) < answer.seq for b, answer in mended.items())

    return [one for one in evidence if not spoiled(one)]


def told_in(evidence: Iterable[Evidence], answers: Iterable[Answer]) -> list[Evidence]:
    """What came from some answers."""
    entries = {a.seq for a in answers}
    return [e for e in evidence if _entry(e) in entries]


def after_all(answers: Iterable[Answer], others: Iterable[Answer]) -> list[Answer]:
    """The answers that were entered after all of some others."""
    last = max((a.seq for a in others), default=0)
    return [a for a in answers if a.seq > last]


def entry_of(record: JobRecord, one: Evidence) -> Answer:
    """The answer that a finding was entered with."""
    return record.entry(_entry(one))
