"""The hands on a bench that is not the simulated one: a double with a law that a test can see."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import pytest

from builders import tidewater_facts
from glowdial.bench.hands import carry_out
from glowdial.bench.port import NoBench, point_by_point
from glowdial.bench.wording import typed_line
from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import Settings, SettingsChange, setting
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.errors import Conflict
from glowdial.core.language.quantities import AC_VOLTS, CURRENT, DC_VOLTS
from glowdial.core.model.measurands import AVC, B_PLUS, LINE, LINE_CURRENT, LOUDSPEAKER, Measurand
from glowdial.core.plan.journey import journey


@dataclass
class Double:
    """A bench with one adjuster whose top is at 0.6 turns, and a station at 1003 kHz."""

    settings: Settings = field(default_factory=Settings)
    stands: float = 0.0
    reads: list[Measurand] = field(default_factory=list)
    waited: float = 0.0
    generator_limits_v: tuple[float, float] = (1e-6, 0.1)

    def apply(self, change: SettingsChange) -> None:
        """Set what the change names."""
        self.settings = change.applied(self.settings)

    def row(self, what: Measurand, name: str, values: Sequence[float]) -> list[float]:
        """Point by point."""
        return point_by_point(self, what, name, values)

    def wired(self, places: frozenset[str]) -> None:
        """Leads lie anywhere."""

    def wait(self, seconds: float) -> None:
        """Time passes."""
        self.waited += seconds

    def read(self, what: Measurand) -> float:
        """A compressing indicator of level, tuning and adjustment; audio follows the tone."""
        self.reads.append(what)
        level = self.settings.generator_emf_v
        off_hz = self.settings.generator_hz - 1003e3
        tuned = 1.0 / (1.0 + (off_hz / 4e3) ** 2)
        adjusted = 1.0 / (1.0 + (self.stands - 0.6) ** 2)
        avc = 3.0 * math.log1p(1e4 * level * tuned * adjusted)
        if what == LOUDSPEAKER:
            return 0.9 if self.settings.tone_on else 0.3
        return avc if what == AVC else 100.0

    def turn(self, adjuster: str, turns: float) -> None:
        """Turn the one adjuster."""
        self.stands += turns


def asked(recipe: Recipe, *fields: Field) -> Ask:
    return Ask("q", "?", fields, "", recipe=recipe)


def do(recipe: Recipe, bench: Double, already: float = 0.0, *fields: Field) -> dict[str, float]:
    done = carry_out(
        asked(recipe, *fields), bench, already_turned=already, step_turns=0.125, reach_turns=4.0
    )
    return done.values


AT_DIAL = Recipe(
    Doing.FIND_FREQUENCY,
    setting(injection="aerial", band="bc", dial_hz=1e6, generator_hz=1e6, generator_emf_v=1e-3),
    span_hz=40e3,
)


def test_reading_sets_the_bench_and_reads_each_meter_once() -> None:
    bench = Double()
    fields = (
        Field("ac", "line", AC_VOLTS, measurand=LINE),
        Field("b_plus", "B+", DC_VOLTS, measurand=B_PLUS),
        Field("current", "current", CURRENT, measurand=LINE_CURRENT, required=False),
    )
    recipe = Recipe(Doing.READ, setting(line_v=57.5))
    assert do(recipe, bench, 0.0, *fields) == {"ac": 100.0, "b_plus": 100.0}
    assert bench.settings.line_v == 57.5 and bench.reads == [LINE, B_PLUS]


def test_the_station_is_found_where_it_is_and_the_generator_left_on_it() -> None:
    bench = Double()
    found = do(AT_DIAL, bench)["frequency"]
    assert found == pytest.approx(1003e3, abs=200.0)
    assert bench.settings.generator_hz == found


def test_a_turn_is_made_once_and_not_again_when_a_hand_made_it() -> None:
    recipe = replace(AT_DIAL, doing=Doing.TURN_AND_FIND, adjuster="bc-padder", turns=0.375)
    bench = Double()
    assert do(recipe, bench)["turns"] == 0.375 == bench.stands
    by_hand = Double(stands=0.25)
    assert do(recipe, by_hand, already=0.25)["turns"] == 0.25 == by_hand.stands


@pytest.mark.parametrize("already", [0.0, 1.5, -0.75])
def test_peaking_ends_on_top_wherever_the_hand_had_left_it(already: float) -> None:
    recipe = Recipe(
        Doing.PEAK, setting(generator_emf_v=1e-3, generator_hz=1003e3), adjuster="t1-primary"
    )
    bench = Double(stands=already)
    values = do(recipe, bench, already=already)
    assert bench.stands == pytest.approx(0.6, abs=0.05)
    assert values["turns"] == pytest.approx(bench.stands)
    assert values["after"] > values["before"]


def test_the_level_is_matched_and_its_range_respected() -> None:
    recipe = Recipe(Doing.MATCH_LEVEL, setting(generator_hz=1003e3), target_v=2.0)
    bench = Double(stands=0.6)
    level = do(recipe, bench)["level"]
    assert 3.0 * math.log1p(1e4 * level) == pytest.approx(2.0, rel=0.01)
    done = carry_out(
        asked(replace(recipe, target_v=90.0)),
        bench,
        already_turned=0.0,
        step_turns=0.1,
        reach_turns=1.0,
    )
    assert done.values["level"] == 0.1 and "range ended" in done.remarks[0]


def test_the_tone_pair_ends_with_the_tone_off() -> None:
    bench = Double()
    values = do(replace(AT_DIAL, doing=Doing.TONE_PAIR).setting(generator_emf_v=20e-6), bench)
    assert values == {"level": 20e-6, "on": 0.9, "off": 0.3}
    assert bench.settings.tone_on is False and bench.settings.generator_emf_v == 20e-6


def test_a_run_of_the_tone_pair_is_read_over_its_time_with_its_scatter() -> None:
    bench = Double()
    recipe = replace(AT_DIAL, doing=Doing.TONE_PAIR, readings=30).setting(generator_emf_v=20e-6)
    values = do(recipe, bench)
    assert values["readings"] == 30.0 and values["on"] == pytest.approx(0.9)
    assert values["on_spread"] == pytest.approx(0.0, abs=1e-9)
    assert bench.waited == pytest.approx(2 * 29 / 3.0)


@pytest.mark.parametrize(
    ("recipe", "words"),
    [
        (Recipe(Doing.PEAK), "which adjuster"),
        (Recipe(Doing.MATCH_LEVEL), "the reading to reach"),
        (Recipe(Doing.FIND_FREQUENCY, setting(dial_hz=1e6)), "how far to look"),
    ],
)
def test_a_recipe_that_lacks_something_says_so(recipe: Recipe, words: str) -> None:
    with pytest.raises(Conflict, match=words):
        do(recipe, Double())


def test_no_bench_refuses_everything_in_words() -> None:
    nothing = NoBench()
    for act in (
        lambda: nothing.apply(setting()),
        lambda: nothing.read(AVC),
        lambda: nothing.turn("x", 1.0),
        lambda: nothing.wired(frozenset()),
    ):
        with pytest.raises(Conflict, match="type the reading"):
            act()


def test_what_a_bench_read_is_typed_so_that_it_is_understood_again() -> None:
    state = journey(tidewater_facts(), JobRecord())
    exact = {
        "ac": 57.5,
        "b_plus": 123.4,
        "resistance": 150.2e3,
        "avc": 1.234,
        "level": 431.2e-6,
        "on": 0.921,
        "off": 0.2912,
        "frequency": 1403.2e3,
    }
    checked = 0
    for step in state.steps:
        if step.ask is None or step.ask.recipe is None:
            continue
        wanted_of = [f for f in step.ask.fields if f.quantity and f.required]
        line = typed_line(step.ask, {f.name: exact.get(f.name, 12.34) for f in wanted_of})
        for name, value in read_entry(step.ask, line, {}).values.items():
            wanted = exact.get(name, 12.34)
            # an AVC line is read below chassis
            wanted = -wanted if name in ("avc", "reads") else wanted
            assert value == pytest.approx(wanted, rel=2e-3), (step.key, line)
            checked += 1
    assert checked >= 10
