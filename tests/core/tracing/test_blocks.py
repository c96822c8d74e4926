"""A set as blocks: what a signal runs through, what leans on what, and what cannot be."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import pytest

from core.tracing.diagrams import block, chain, two_bands
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.blocks import BlockDiagram, Link, LinkKind, Position, TestPoint
from glowdial.core.tracing.failures import Symptom
from glowdial.core.tracing.trials import TrialKind, bounded, possible_trials


def test_a_function_runs_through_its_own_band_and_what_that_leans_on() -> None:
    diagram = two_bands()
    assert diagram.between("aerial", "audio", "lw") == ("aerial", "coil-lw", "mixer", "if", "audio")
    assert diagram.leans_on(("mixer",), "lw") == ("oscillator", "supply")
    assert set(diagram.way("mw")) == {b.key for b in diagram.blocks} - {"coil-lw"}
    assert diagram.fed_by("oscillator", "lw") == ("supply",)
    assert diagram.fed_by("mixer", "lw") == ()


BROKEN: tuple[tuple[str, Callable[[BlockDiagram], BlockDiagram], str], ...] = (
    (
        "circle",
        lambda d: replace(d, links=(*d.links, Link("b3", "b1"))),
        "b1 to b2 to b3 to b1",
    ),
    ("unknown end", lambda d: replace(d, links=(*d.links, Link("b3", "b9"))), "b9"),
    ("alone", lambda d: replace(d, blocks=(*d.blocks, block("b9"))), "b9"),
    ("twice", lambda d: replace(d, blocks=(*d.blocks, block("b2"))), "b2"),
    ("point on nothing", lambda d: replace(d, points=(TestPoint("x", "x", "b9"),)), "b9"),
    ("no way", lambda d: replace(d, links=(*d.links[1:], Link("b0", "b0x"))), "b0x"),
    (
        "no such position",
        lambda d: replace(d, blocks=(*d.blocks[:-1], block("b3", used_in=("sw",)))),
        "sw",
    ),
    (
        "cut",
        lambda d: replace(
            d, links=(*d.links[:1], *d.links[2:], Link("b0", "b2", LinkKind.CONTROL))
        ),
        "mw AM",
    ),
    (
        "source that is none",
        lambda d: replace(d, positions=(Position("ph", "gramophone", "b7"),)),
        "b7",
    ),
)


@pytest.mark.parametrize(("what", "broken", "named"), BROKEN, ids=[b[0] for b in BROKEN])
def test_what_cannot_be_is_said_with_the_name(
    what: str, broken: Callable[[BlockDiagram], BlockDiagram], named: str
) -> None:
    with pytest.raises(BadInput) as error:
        broken(chain(4))
    assert named in f"{error.value}", what
    assert error.value.example


def test_a_feedback_is_no_circle() -> None:
    diagram = chain(4)
    looped = replace(diagram, links=(*diagram.links, Link("b3", "b1", LinkKind.CONTROL)))
    assert looped.leans_on(("b1",), "mw AM") == ("b3",)


def test_a_point_that_is_not_there_is_said_to_be() -> None:
    with pytest.raises(NotFound):
        chain(3).point("nowhere")


def test_every_point_is_injected_at_and_read_at_both_ways() -> None:
    diagram = chain(5)
    trials = possible_trials(diagram)
    injected = {t.source for t in trials if t.kind is TrialKind.INJECTION}
    traced = {t.target for t in trials if t.kind is TrialKind.TRACING}
    assert injected == traced == {"p1", "p2", "p3", "p4"}
    one = next(t for t in trials if t.kind is TrialKind.INJECTION and t.source == "p2")
    assert one.reach == ("b2", "b3", "b4") and one.expected_db == 30.0
    one = next(t for t in trials if t.kind is TrialKind.TRACING and t.target == "p2")
    assert one.reach == ("b0", "b1")
    gains = [t for t in trials if t.kind is TrialKind.GAIN]
    assert {t.reach for t in gains} >= {("b1",), ("b2",), ("b1", "b2", "b3")}


def test_what_a_set_makes_itself_is_found_by_silencing() -> None:
    trials = possible_trials(chain(5), Symptom.HUM)
    silenced = {t.source: t.reach for t in trials if t.kind is TrialKind.QUIETING}
    assert silenced["p3"] == ("b3", "b4")
    assert not [t for t in trials if t.kind in (TrialKind.INJECTION, TrialKind.TRACING)]


def test_keys_are_told_apart_however_long_names_are() -> None:
    long = "stage gain " + "x" * 80
    assert bounded(long + "a") != bounded(long + "b")
    assert len(bounded(long)) <= 60


def test_the_levels_of_a_sheets_points_go_before_the_gains() -> None:
    """Ten blocks of 10 dB each, but the sheet says 20 mV at one point and 200 mV at another, for
    1 mV at the aerial."""
    diagram = chain(5)
    points = (
        replace(diagram.points[0], level_v=20e-3, input_v=1e-3, dc_v=4.5),
        replace(diagram.points[1], level_v=200e-3, input_v=1e-3),
        *diagram.points[2:],
    )
    trials = possible_trials(replace(diagram, points=points))
    by = {(t.kind, t.source, t.target): t.expected_db for t in trials if t.levelled}
    assert by[TrialKind.TRACING, "", "p1"] == pytest.approx(20.0 * math.log10(20.0))
    assert by[TrialKind.GAIN, "p1", "p2"] == pytest.approx(20.0)
    assert by[TrialKind.TRACING, "", "p3"] == 30.0
    volts = next(t for t in trials if t.key == "volts b1")
    assert "p1 4.5 V" in volts.words
