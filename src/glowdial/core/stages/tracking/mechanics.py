"""The dial's mechanics, before any adjuster: stops, pointer, drive, and a bandspread capacitor that
may be mounted half a turn wrong."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.dial_marks import (
    as_found_key,
    dial_leads,
    frequency_quantity,
    low_stop_words,
)
from glowdial.core.journey.pictures import ReadingTable
from glowdial.core.journey.readings import Reading, conclude, reading
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Result, Status, Step, result
from glowdial.core.language.quantities import khz
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import BandFacts, Bandspread, ReceiverFacts
from glowdial.core.stages.tracking.stage import STAGE

MECHANICS, SPREAD = "osc.mechanics", "spread"
RIGHT, POINTER_OFF, SHORT_OF_STOP = "on its mark", "pointer off its mark", "short of its stop"
FREE, SLIPS, STIFF = "free", "slips", "stiff"
STOPS_WORDS = {
    POINTER_OFF: "Set the pointer on its mark at the low stop: it costs nothing, and a "
    "pointer that sits wrong would be adjusted into the coils.",
    SHORT_OF_STOP: "The tuning does not reach its low stop: look for a cord that is too short, a "
    "screw or a chip in the way. With the pointer on its mark there, every mark is wrong.",
}
DRIVE_WORDS = {
    SLIPS: "A drive that slips shows another frequency each time: clean the cord and the spindle, "
    "tighten the cord's spring. Come to every mark from the same side.",
    STIFF: "Clean the old grease off and oil the bearings sparingly, before anything is read.",
}
# from what the scale promises for the way that a bandspread was moved
LEAST_SHARE, MOST_SHARE = 0.3, 3.0
# how far it is moved off its reference
TRIED_SHARE = 0.5


def mechanics_steps(
    facts: ReceiverFacts,
    record: JobRecord,
    also: tuple[Ask, ...] = (),
    table: ReadingTable | None = None,
) -> list[Step]:
    """The check of the mechanics, with what else is decided and shown there; none in a job that
    read its dial before there was one."""
    begun = any(record.of_step(as_found_key(band)) for band in facts.bands)
    if begun and not record.of_step(MECHANICS):
        return []
    stops, drive = reading(record, MECHANICS, _stops(facts)), reading(record, MECHANICS, _drive())
    found = [stops, drive]
    words, results = [], []
    for taken, told in ((stops, STOPS_WORDS), (drive, DRIVE_WORDS)):
        state = _state(taken.answer)
        words += [told[state]] if state in told else []
    for band, spread in _spreads(facts):
        taken = reading(record, MECHANICS, _spread_ask(facts, band, spread))
        found.append(taken)
        if taken.answer is not None:
            results.append(_spread_result(spread, taken.answer))
            words += _spread_words(spread, taken.answer)
    step = Step(
        MECHANICS,
        STAGE,
        "Dial mechanics first: stops, pointer, drive",
        "What the mechanics do wrong no trimmer puts right.",
        results=tuple(results),
        advice=tuple(words),
        leads=dial_leads(facts) if _spreads(facts) else (),
        powered=bool(_spreads(facts)),
        notes=tuple(
            f"{name}: {_state(r.answer)}"
            for name, r in (("stop and pointer", stops), ("drive", drive))
            if r.answer
        ),
        cost="the dial's mechanics are not right" if words else "",
        others=also,
        table=table,
    )
    return [_settled(step, found, [r for r in (stops, drive) if _bad(r)])]


def _settled(step: Step, found: list[Reading], bad: list[Reading]) -> Step:
    """Trouble while something is not right; it is asked again once it was put right."""
    settled = conclude(step, found)
    if bad and settled.status is Status.DONE:
        return replace(settled, status=Status.TROUBLE, ask=bad[-1].ask, retake=True)
    return settled


def _bad(taken: Reading) -> bool:
    return _state(taken.answer) in (*STOPS_WORDS, *DRIVE_WORDS)


def _state(answer: Answer | None) -> str:
    return answer.texts.get("state", "") if answer is not None else ""


def _stops(facts: ReceiverFacts) -> Ask:
    return Ask(
        "stops",
        f"Tuned to the low stop, {low_stop_words(facts)}: does the pointer stand on its mark?",
        (Field("state", "stop and pointer", options=(RIGHT, POINTER_OFF, SHORT_OF_STOP)),),
        RIGHT,
        called="stop and pointer",
    )


def _drive() -> Ask:
    return Ask(
        "drive",
        "Over the whole scale and back: does the drive move freely, without slipping, screws "
        "clear of the stops?",
        (Field("state", "drive", options=(FREE, SLIPS, STIFF)),),
        FREE,
        called="drive",
    )


def _spreads(facts: ReceiverFacts) -> list[tuple[BandFacts, Bandspread]]:
    """The first bandspread of the set: all of them are the same capacitor."""
    return [(b, s) for b in facts.bands for s in b.spreads][:1]


def reference_hz(spread: Bandspread) -> float:
    """The figure that the bandspread stands on while the main pointer alone is read: the end that
    lies nearer to the main pointer's place."""
    return min((spread.low_hz, spread.high_hz), key=lambda f: abs(f - spread.main_hz))


def _tried_hz(spread: Bandspread) -> float:
    """A figure about half-way off the reference."""
    start = reference_hz(spread)
    end = spread.low_hz if start == spread.high_hz else spread.high_hz
    wanted = start + TRIED_SHARE * (end - start)
    return min(spread.figures_hz, key=lambda f: abs(f - wanted))


def _spread_ask(facts: ReceiverFacts, band: BandFacts, spread: Bandspread) -> Ask:
    start, tried = reference_hz(spread), _tried_hz(spread)
    quantity = frequency_quantity(band.high_hz)
    return Ask(
        SPREAD,
        f"Band {band.name}, main pointer on {khz(spread.main_hz)}, bandspread on its reference "
        f"({khz(start)}): what comes in? Then with the bandspread on {khz(tried)}, the main one "
        "untouched.",
        (
            Field("reference", "at its reference", quantity, nominal=start),
            Field("tried", f"on {khz(tried)}", quantity, nominal=tried),
        ),
        f"{khz(start).split()[0]} {khz(tried).split()[0]}",
        expected_text=f"{'up' if tried > start else 'down'} by about {khz(abs(tried - start))}",
        called="bandspread",
    )


def _spread_result(spread: Bandspread, answer: Answer) -> Result:
    """How far the bandspread moved what comes in, in the direction of its figures."""
    wanted = _tried_hz(spread) - reference_hz(spread)
    moved = _moved_hz(answer)
    ends = sorted((LEAST_SHARE * wanted, MOST_SHARE * wanted))
    return result(
        answer,
        "bandspread",
        f"{moved / 1e3:+.0f} kHz",
        moved,
        Window(ends[0], ends[1], wanted),
        (f"{ends[0] / 1e3:+.0f} kHz", f"{ends[1] / 1e3:+.0f} kHz"),
    )


def _moved_hz(answer: Answer) -> float:
    return answer.values["tried"] - answer.values["reference"]


def _spread_words(spread: Bandspread, answer: Answer) -> list[str]:
    wanted, moved = _tried_hz(spread) - reference_hz(spread), _moved_hz(answer)
    share = moved / wanted
    if share <= -LEAST_SHARE:
        way = "falls" if moved < 0 else "rises"
        return [
            f"It {way} where its figures {'rise' if wanted > 0 else 'fall'}: the bandspread "
            "capacitor is mounted half a turn wrong. Loosen its coupling, turn its plates half a "
            "turn against the scale, and read again, before any adjuster is touched."
        ]
    if share < LEAST_SHARE:
        return [
            "It changes next to nothing: is its coupling loose, is it switched in on this band, "
            "are its plates moving?"
        ]
    if share > MOST_SHARE:
        return [
            "It moves far more than its scale says: is the main pointer on the place that this "
            "scale is made for?"
        ]
    return []
