"""When to switch off at once while a set is brought up.

Current above its expectation by half; B+ below its expectation and falling at steady AC; a
capacitor warm, a smell, smoke; B+ higher than the winding's peak allows is no reading at all.
"""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import supply_volts
from glowdial.core.language.verdicts import Judgement, Verdict, judge
from glowdial.core.physics.heaters import Heaters
from glowdial.core.physics.supply.circuit import Supply, Waveform
from glowdial.core.physics.supply.limiter import Lamp
from glowdial.core.physics.supply.line_current import behind_lamp_v, expected_line_a
from glowdial.core.physics.supply.rampup import RampExpectation, expectation
from glowdial.core.physics.supply.steady import steady_state

CURRENT_EXCESS = 1.5
STEADY_SHARE = 0.02
FALL_SHARE = 0.02
IMPOSSIBLE_SHARE = 1.15
BACKWARDS_SHARE = 0.05
NOT_READ = Judgement(Verdict.NOT_KNOWN, "", 0.0)
SEEN = ("nothing", "hum", "smell", "capacitor warm", "smoke", "lamp bright")
# what is drawn at most where the sheet gives no heaters: DC power by this efficiency, and the
# heaters that so many tubes may have; with no supply either, what a set's own label may say
LEAST_EFFICIENCY, HEATER_NORM_W, SET_NORM_W = 0.5, 8.0, 250.0


@dataclass(frozen=True, slots=True)
class RampReading:
    """One reading of a ramp: volts of the line and of B+, current where it was read."""

    ac_v: float
    b_plus_v: float
    line_a: float | None = None


def most_line_a(
    supply: Supply | None, heaters: Heaters, ac_v: float, *, line_v: float, tubes: int
) -> float:
    """The line current above which everything is switched off, A RMS.

    Half above what this set should draw at ``ac_v``; without the heaters' figures half above what
    its supply draws and as many tubes may heat with; without a supply, half above 250 W.
    """
    if supply is None:
        return CURRENT_EXCESS * SET_NORM_W / line_v
    expected = expected_line_a(supply, heaters, ac_v)
    if expected is not None:
        return CURRENT_EXCESS * expected
    point = steady_state(supply, supply.line_v)
    most_w = point.node_v[0] * point.load_a / LEAST_EFFICIENCY + HEATER_NORM_W * max(tubes, 1)
    return CURRENT_EXCESS * most_w / supply.line_v


def too_much(line_a: float, most_a: float) -> tuple[str, ...]:
    """The reason to switch off in a line current, if it is one."""
    if line_a <= most_a:
        return ()
    times = CURRENT_EXCESS * line_a / most_a
    return (f"{times:.1f} times the current that it should draw",)


def stop_reasons(
    reading: RampReading,
    *,
    lowest_v: float | None,
    most_a: float | None,
    before: RampReading | None,
) -> tuple[str, ...]:
    """Reasons to switch off now, in words; none is the good answer.

    ``lowest_v`` is the low end of the window at this AC, ``most_a`` the current above which it is
    switched off, ``before`` the reading taken before it.
    """
    reasons: list[str] = []
    if reading.line_a is not None and most_a is not None:
        reasons += too_much(reading.line_a, most_a)
    if before is not None and lowest_v is not None:
        steady = abs(reading.ac_v - before.ac_v) <= STEADY_SHARE * before.ac_v
        falling = reading.b_plus_v < before.b_plus_v * (1.0 - FALL_SHARE)
        if steady and falling and reading.b_plus_v < lowest_v:
            reasons.append("B+ is low, and falls at steady AC")
    return tuple(reasons)


def check_possible(supply: Supply, reading: RampReading) -> None:
    """Raises BadInput for B+ that no winding can give at that AC."""
    most_v = supply.unloaded_peak_v * reading.ac_v / supply.line_v
    if reading.b_plus_v > most_v * IMPOSSIBLE_SHARE + 2.0:
        raise BadInput(
            "B+",
            f"{reading.b_plus_v:g} V",
            f"cannot be with {reading.ac_v:g} V in: this supply's peak is {most_v:.0f} V; are the "
            "two values the right way round?",
            f"{supply_volts(reading.ac_v)} {most_v * 0.8:.0f}",
        )
    if reading.b_plus_v < 0.0:
        raise BadInput("B+", f"{reading.b_plus_v:g} V", _negative_words(supply), "221")


def _negative_words(supply: Supply) -> str:
    """Reversed high tension is said as such: neither electrolytics nor transistors stand it."""
    cause = (
        "the high-tension battery is joined the wrong way round"
        if supply.waveform is Waveform.BATTERY
        else "a rectifier is fitted the wrong way round"
    )
    return (
        f"is negative: {cause}, or only the meter's leads are. Off, look at both, and read again "
        "with the leads right"
    )


def check_order(ac_v: float, last_ac_v: float | None, line_v: float) -> None:
    """Raises BadInput for a ramp that goes down, or jumps beyond the line.

    A ramp is judged on the way up; going down is a new ramp, from cold.
    """
    if ac_v > 1.25 * line_v:
        raise BadInput(
            "line",
            f"{ac_v:g} V",
            f"is over 125 % of this set's {supply_volts(line_v)} V",
            f"{supply_volts(line_v)}",
        )
    if last_ac_v is not None and ac_v < last_ac_v - BACKWARDS_SHARE * line_v:
        raise BadInput(
            "line",
            f"{ac_v:g} V",
            f"is below the {supply_volts(last_ac_v)} V of the reading before: readings come in the "
            "order of the ramp; withdraw that one if it was wrong",
            f"{supply_volts(last_ac_v + 0.1 * line_v)}",
        )


@dataclass(frozen=True, slots=True)
class RampLook:
    """What to expect at one AC voltage, and what a reading there means where there is one.

    ``line_a`` and ``behind_lamp_v`` are None where the heaters are not known, or no lamp is there.
    """

    expected: RampExpectation
    line_a: float | None
    behind_lamp_v: float | None
    judged: Judgement
    stop: tuple[str, ...] = ()


def look_at(
    supply: Supply,
    heaters: Heaters,
    ac_v: float,
    *,
    b_plus_v: float | None = None,
    line_a: float | None = None,
    lamp_w: float | None = None,
) -> RampLook:
    """The expectation at ``ac_v`` volts of the line, and a reading against it.

    Raises BadInput for a reading that no winding gives.
    """
    left_v = None
    if lamp_w is not None:
        left_v = behind_lamp_v(supply, heaters, ac_v, Lamp(lamp_w, supply.line_v))
    found = expectation(supply, ac_v)
    amperes = expected_line_a(supply, heaters, ac_v)
    if b_plus_v is None:
        return RampLook(found, amperes, left_v, NOT_READ)
    reading = RampReading(ac_v, b_plus_v, line_a)
    check_possible(supply, reading)
    most_a = most_line_a(supply, heaters, ac_v, line_v=supply.line_v, tubes=0)
    stop = stop_reasons(reading, lowest_v=found.window.low, most_a=most_a, before=None)
    return RampLook(found, amperes, left_v, judge(b_plus_v, found.window), stop)
