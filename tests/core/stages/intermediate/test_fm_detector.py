"""The FM detector by typed readings and by a sweep, on a set of one's own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.steps import Status, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.model.circuit import FmDetector, FmKind
from glowdial.core.physics.phase_discriminator import PhaseDiscriminator
from glowdial.core.stages.intermediate.fm_detector import separation_by_sheet_hz
from glowdial.core.stages.intermediate.steps import check_if, if_steps

IF_HZ = 10.7e6
PLAIN = tidewater_facts()
FM = FmDetector(kind=FmKind.RATIO, primary="t2-primary", secondary="t2-secondary", q=40.0)
FACTS = replace(
    PLAIN,
    intermediate_frequency_hz=IF_HZ,
    transformers=PLAIN.transformers[:1],
    circuit=replace(PLAIN.circuit, fm=FM),
)
CURVE = "if.fm.curve"
DECIDED = (
    an_answer(1, "if.set-up", "ready"),
    an_answer(20, "if.decide", "decision", decision="leave it"),
)


def step_of(record: JobRecord, key: str) -> Step:
    return next(s for s in if_steps(Situation(FACTS, record)) if s.key == key)


def trace(off: float = 0.0, primary: float = 0.0, noise: float = 0.01) -> str:
    """What an oscilloscope wrote of the detector's output, upside down as many are."""
    row = IF_HZ + np.linspace(-450e3, 450e3, 301)
    made = PhaseDiscriminator(IF_HZ * (1.0 + primary), IF_HZ * (1.0 + off), 40.0, 40.0, 1.5)
    rng = np.random.default_rng(1)
    volts = -1.2 * made.output(row) + noise * rng.standard_normal(row.size)
    lines = [f"{f / 1e3:.2f};{v:.5f}" for f, v in zip(row, volts, strict=True)]
    return "\n".join(["kHz;V", *lines])


def swept(text: str) -> JobRecord:
    return a_record(*DECIDED, Answer(30, CURVE, "trace", {}, {"trace": text}))


def figures(step: Step) -> dict[str, float]:
    return {r.label: r.value for r in step.results if r.value is not None}


def test_a_sweep_shows_zero_width_and_symmetry_at_once() -> None:
    step = step_of(swept(trace()), CURVE)
    assert step.status is Status.DONE
    found = figures(step)
    assert found["zero at"] == pytest.approx(IF_HZ, abs=4e3)
    assert found["peak to peak"] == pytest.approx(separation_by_sheet_hz(FACTS), rel=0.08)
    assert abs(found["upper less lower half"]) < 0.05
    assert step.advice == ("Zero, width and symmetry are as they should be.",)


@pytest.mark.parametrize(
    ("off", "primary", "core"), [(0.004, 0.0, "T2 secondary core"), (0.0, 0.02, "T2 primary core")]
)
def test_what_is_off_is_told_with_its_core(off: float, primary: float, core: str) -> None:
    step = step_of(swept(trace(off, primary)), CURVE)
    assert step.status is Status.TROUBLE
    assert core in step.advice[0]


@pytest.mark.parametrize(
    "text", ["kHz;V\n1;2", "", "kHz;V\n" + "\n".join(f"{n};{n}" for n in range(1, 40))]
)
def test_what_is_no_s_is_refused_and_the_job_is_as_it_was(text: str) -> None:
    step = step_of(a_record(*DECIDED), CURVE)
    ask = next(a for a in step.others if a.key == "trace")
    with pytest.raises(BadInput):
        check_if(Situation(FACTS, a_record()), step, ask, Entering({}, {"trace": text}))


def test_where_each_reading_is_taken_depends_on_the_detector() -> None:
    ratio = step_of(a_record(*DECIDED), "if.fm.primary").leads[-1].to
    assert "large capacitor" in ratio
    plain = replace(
        FACTS, circuit=replace(FACTS.circuit, fm=replace(FM, kind=FmKind.DISCRIMINATOR))
    )
    steps = if_steps(Situation(plain, a_record(*DECIDED)))
    assert "one diode" in next(s for s in steps if s.key == "if.fm.primary").leads[-1].to


@pytest.mark.parametrize(("after", "right"), [(0.01, True), (0.3, False)])
def test_a_zero_that_is_none_is_trouble(after: float, right: bool) -> None:
    values = {"before": 0.6, "after": after, "turns": -0.25}
    record = a_record(*DECIDED, an_answer(30, "if.fm.zero", "zero", values))
    assert (step_of(record, "if.fm.zero").status is Status.DONE) is right


def test_a_set_without_named_cores_has_no_such_steps() -> None:
    bare = replace(FACTS, circuit=replace(FACTS.circuit, fm=FmDetector()))
    keys = [s.key for s in if_steps(Situation(bare, a_record(*DECIDED)))]
    assert not any(k.startswith("if.fm") for k in keys)


def test_by_the_swept_school_the_detector_comes_too() -> None:
    chosen = an_answer(2, "if.set-up", "indicator", indicator="swept curve")
    keys = [s.key for s in if_steps(Situation(FACTS, a_record(*DECIDED, chosen)))]
    assert {"if.fm.primary", "if.fm.zero", CURVE} <= set(keys)
