"""Sweeps as they were taken: the question for one, its samples over frequency, its figures."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from glowdial.core.alignment.curve import CurveFigures, IndicatorLaw, curve_figures
from glowdial.core.alignment.trace_table import LEAST_ROWS, ReadTrace, read_trace
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import db_voltage
from glowdial.core.language.quantities import DC_VOLTS, DURATION, INTERMEDIATE_FREQUENCY, LEVEL, khz
from glowdial.core.model.facts import ReceiverFacts

SWEEP, TRACE = "if.sweep", "trace"
START, STOP, PASS = "start", "stop", "pass"
# the sweep the other way, and the law of what it is read by
OTHER_WAY, LAW, LEVEL_AT, READS_AT, QUIET = "back", "law", "level", "reads", "quiet"
LEAST_LEVELS, LAW_LEVELS = 2, 4
MOST_ROUNDS = 24


@dataclass(frozen=True, slots=True)
class Swept:
    """A sweep of the record: its entry, its samples over frequency, what they show, and where it
    was taken both ways how far apart the two centres stand, in Hz."""

    answer: Answer
    trace: ReadTrace
    figures: CurveFigures
    apart_hz: float | None = None


def read_sweep(facts: ReceiverFacts, texts: dict[str, str], values: dict[str, float]) -> ReadTrace:
    """The samples of an entry that is to be kept; raises BadInput with the line, or the field that
    is missing, or where the IF is not in it or nothing is to be seen."""
    trace = samples_of(texts, values)
    low, high = min(trace.frequency_hz), max(trace.frequency_hz)
    if not low < facts.intermediate_frequency_hz < high:
        raise BadInput(
            "trace",
            f"{khz(low)} to {khz(high)}",
            f"does not hold the IF, {khz(facts.intermediate_frequency_hz)}: is the unit right?",
            "kHz",
        )
    curve_figures(trace.frequency_hz, trace.volts)
    return trace


def samples_of(texts: Mapping[str, str], values: Mapping[str, float]) -> ReadTrace:
    """The samples of an entry over frequency, whatever IF the sheet has today; of a sweep taken
    both ways their mean, where the lag of one takes off that of the other. Raises BadInput."""
    there, back = ways_of(texts, values)
    return there if back is None else _mean(there, back)


def ways_of(
    texts: Mapping[str, str], values: Mapping[str, float]
) -> tuple[ReadTrace, ReadTrace | None]:
    """The samples over frequency of each way that was swept, the other way None where there was
    none; raises BadInput."""
    there = _over_frequency(texts.get(TRACE, ""), values, (START, STOP))
    other = texts.get(OTHER_WAY, "").strip()
    return there, _over_frequency(other, values, (STOP, START)) if other else None


def _over_frequency(text: str, values: Mapping[str, float], ends: tuple[str, str]) -> ReadTrace:
    trace = _read(text)
    if trace.frequency_hz:
        return trace
    missing = [name for name in (START, STOP, PASS) if name not in values]
    if missing:
        raise BadInput(missing[0], "", "is wanted for a trace over time", "445 kHz, 485 kHz, 5 s")
    first, last = ends
    return trace.over_sweep(values[first], values[last], values[PASS])


def _mean(there: ReadTrace, back: ReadTrace) -> ReadTrace:
    """Both ways on the frequencies that both hold; raises BadInput where they hardly meet."""
    one, other = (_rising(t) for t in (there, back))
    both = (one[0] >= other[0][0]) & (one[0] <= other[0][-1])
    if int(np.count_nonzero(both)) < LEAST_ROWS:
        raise BadInput(
            "the other way",
            f"{khz(float(other[0][0]))} to {khz(float(other[0][-1]))}",
            "does not cover what the first way does",
            f"{khz(float(one[0][0]))} to {khz(float(one[0][-1]))}",
        )
    row = one[0][both]
    volts = 0.5 * (one[1][both] + np.interp(row, *other))
    words = f"{there.words}; both ways, averaged"
    return ReadTrace(
        tuple(float(f) for f in row), (), tuple(float(v) for v in volts), there.relative, words
    )


def _rising(trace: ReadTrace) -> tuple[np.ndarray, np.ndarray]:
    row, volts = np.asarray(trace.frequency_hz), np.asarray(trace.volts)
    return (row, volts) if row[0] < row[-1] else (row[::-1], volts[::-1])


def law_of(record: JobRecord) -> IndicatorLaw | None:
    """How the indicator answers, as it was measured last; None: taken as linear."""
    said = [a for a in record.asked(LAW) if f"{READS_AT}1" in a.values]
    return made_law(said[-1].values) if said else None


def made_law(values: Mapping[str, float]) -> IndicatorLaw:
    """The law from levels and readings, less what is read without a signal; raises BadInput where
    the readings do not rise with the levels."""
    quiet = abs(values.get(QUIET, 0.0))
    pairs = sorted(
        (abs(values[f"{READS_AT}{n}"]) - quiet, db_voltage(values[f"{LEVEL_AT}{n}"]))
        for n in range(1, LAW_LEVELS + 1)
        if f"{READS_AT}{n}" in values and f"{LEVEL_AT}{n}" in values
    )
    if pairs and pairs[0][0] <= 0.0:
        raise BadInput(
            "readings", f"{pairs[0][0]:.3g} V", "must be above that without a signal", "0.2"
        )
    top = pairs[-1][1] if pairs else 0.0
    return IndicatorLaw(tuple(v for v, _ in pairs), tuple(db - top for _, db in pairs))


def law_ask() -> Ask:
    """The indicator's law at the curve's middle, from which a dB on it follows."""
    fields = [
        field
        for n in range(1, LAW_LEVELS + 1)
        for field in (
            Field(f"{LEVEL_AT}{n}", f"level {n}", LEVEL, required=n <= LEAST_LEVELS),
            Field(f"{READS_AT}{n}", f"reads {n}", DC_VOLTS, required=n <= LEAST_LEVELS),
        )
    ]
    return Ask(
        LAW,
        "The indicator's law: generator at the curve's middle, three or four levels over all that "
        "the sweep covers, and what it reads at each. Not needed with the AVC clamped and the "
        "detector above 0.3 V.",
        (*fields, Field(QUIET, "no signal", DC_VOLTS, required=False)),
        "100uV -0.3 300uV -0.9 1mV -2.1",
        called="the indicator's law",
    )


@lru_cache(maxsize=64)
def _read(text: str) -> ReadTrace:
    return read_trace(text.encode())


@lru_cache(maxsize=64)
def figures_of(trace: ReadTrace, law: IndicatorLaw | None) -> CurveFigures:
    """What a trace shows, through the law of what it was read by; raises BadInput."""
    return curve_figures(trace.frequency_hz, trace.volts, law=law)


def sweeps_of(record: JobRecord) -> list[Swept]:
    """Every sweep of the job, the oldest first."""
    found, law = [], law_of(record)
    for number in range(1, MOST_ROUNDS + 1):
        answer = record.latest(f"{SWEEP}{number}", TRACE)
        if answer is None:
            break
        there, back = ways_of(answer.texts, answer.values)
        trace = there if back is None else _mean(there, back)
        apart = None if back is None else _centre(there, law) - _centre(back, law)
        found.append(Swept(answer, trace, figures_of(trace, law), apart))
    return found


def _centre(trace: ReadTrace, law: IndicatorLaw | None) -> float:
    figures = figures_of(trace, law)
    six = figures.width(6.0)
    return six.centre_hz if six else figures.peak_hz


def trace_ask(facts: ReceiverFacts) -> Ask:
    """The sweep as a table: a file, the oscilloscope's samples, or pasted."""
    centre = facts.intermediate_frequency_hz
    return Ask(
        TRACE,
        "The trace: a file (CSV, Touchstone), the oscilloscope, or pasted. Over time, also where "
        "the sweep starts and stops and how long it takes.",
        (
            Field(TRACE, "trace", multiline=True, table=True),
            Field(START, "starts at", INTERMEDIATE_FREQUENCY, required=False),
            Field(STOP, "stops at", INTERMEDIATE_FREQUENCY, required=False),
            Field(PASS, "a pass takes", DURATION, required=False),
            Field(
                OTHER_WAY, "the other way, if swept too", multiline=True, table=True, required=False
            ),
        ),
        f"kHz;V ... {0.97 * centre / 1e3:.0f};0,02 ...",
        swept=TRACE,
    )
