"""What serves where there is no generator: another receiver's oscillator, a counter on the set's
own, and a loop that radiates a known field."""

from __future__ import annotations

from collections.abc import Sequence

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Field
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    FREQUENCY,
    LEVEL,
    MILLIMETRES,
    Quantity,
    engineering,
    khz,
)
from glowdial.core.physics.aerials import loop_field_v_per_m
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.form import ABOVE, BELOW, SumAnswer, SumForm, SumLine

OFF = Quantity("dial error", "Hz", "kHz", -1e6, 1e6, "-2.5", "must be a dial error in kHz")
MOST_HARMONIC = 3
METRE_MM = 1000.0


def _side(entry: Entry) -> float:
    return 1.0 if entry.texts["oscillator"] == ABOVE else -1.0


def _other_receiver(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    """Its oscillator stands at dial + IF (below: - IF), harmonics at multiples of that."""
    given, lines = entry.values, []
    offset = _side(entry) * given["intermediate"]
    for n in range(1, MOST_HARMONIC + 1):
        true_hz = given["wanted"] / n - offset
        dial_hz = true_hz - given.get("error", 0.0)
        if not given["from"] <= dial_hz <= given["to"]:
            continue
        what = "its oscillator itself" if n == 1 else f"harmonic {n} of it, weaker"
        lines.append(SumLine(what, f"dial on {khz(round(dial_hz, -2))}"))
    if not lines:
        raise BadInput(
            "wanted",
            khz(given["wanted"]),
            "is reached by no place of its dial, nor by a harmonic",
            "another band, or another receiver",
        )
    first = lines[0]
    error = khz(abs(given.get("error", 0.0)))
    lines += [
        SumLine(
            "how far to trust it",
            "as far as its dial is known: measure its error first, "
            "on a station or a calibrator near that place",
        ),
        SumLine("how strong", "by the distance: move it away until the set's AVC just moves"),
        SumLine("as a beat oscillator", f"the same for the set's IF: {khz(given['wanted'])} there"),
    ]
    return SumAnswer(
        f"{khz(given['wanted'])} from another receiver: {first.text} ({first.label}, its dial "
        f"taken {error} off).",
        tuple(lines),
    )


OTHER_RECEIVER = SumForm(
    "another-receiver",
    "oscillator and RF",
    "Another receiver as generator",
    "Where to set another receiver so that its oscillator gives a wanted signal.",
    (
        Field("wanted", "Signal wanted", FREQUENCY),
        Field("intermediate", "IF of the other receiver", FREQUENCY),
        Field("oscillator", "Its oscillator", options=(ABOVE, BELOW)),
        Field("from", "Its dial from", FREQUENCY),
        Field("to", "to", FREQUENCY),
        Field("error", "What comes in there less what its dial says", OFF, required=False),
    ),
    {
        "wanted": "1400",
        "intermediate": "465",
        "oscillator": ABOVE,
        "from": "530",
        "to": "1620",
        "error": "-3",
    },
    _other_receiver,
)


def _counted(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    tuned = given["counted"] - _side(entry) * given["intermediate"]
    image = given["counted"] + _side(entry) * given["intermediate"]
    if tuned <= 0.0:
        raise BadInput("counted", khz(given["counted"]), "is below the IF", "1865 kHz")
    lines = (
        SumLine("tuned to", khz(round(tuned, -1))),
        SumLine("image", khz(round(image, -1))),
        SumLine(
            "mind",
            "the probe loads the oscillator: couple loosely, a turn beside the tube or "
            "the gang's frame, and take the IF as it was aligned",
        ),
    )
    return SumAnswer(
        f"Oscillator at {khz(given['counted'])}, {entry.texts['oscillator']}: the set is tuned to "
        f"{lines[0].text}.",
        lines,
    )


COUNTER = SumForm(
    "counter-on-the-oscillator",
    "oscillator and RF",
    "Counter on the oscillator",
    "What a set is tuned to, from the frequency of its own oscillator.",
    (
        Field("counted", "Counter says", FREQUENCY),
        Field("intermediate", "IF as aligned", FREQUENCY),
        Field("oscillator", "Oscillator", options=(ABOVE, BELOW)),
    ),
    {"counted": "1865", "intermediate": "465", "oscillator": ABOVE},
    _counted,
)


def _field(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    field = loop_field_v_per_m(
        given["level"],
        series_ohm=given["ohm"],
        turns=max(1, round(given["turns"])),
        radius_m=given["diameter"] / METRE_MM / 2.0,
        distance_m=given["distance"] / METRE_MM,
    )
    shown = f"{engineering(field, 'V')}/m"
    return SumAnswer(
        f"{engineering(given['level'], 'V')} EMF through the loop, {given['distance']:.0f} mm "
        f"away: {shown}.",
        (
            SumLine("field at the set's aerial", shown),
            SumLine("holds", "on the loop's axis, nothing of metal near, further than its width"),
        ),
    )


TURNS_OF_LOOP = Quantity("turns of a loop", "", "", 1.0, 100.0, "3", "must be 1 to 100 turns")
LOOP_OHM = Quantity("loop resistance", "ohm", "ohm", 10.0, 1e5, "450", "must be 10 to 100k")
RADIATED = SumForm(
    "radiated-field",
    "oscillator and RF",
    "Field of a standard loop",
    "The field at a built-in aerial, from a generator's level through a loop.",
    (
        Field("level", "Generator (EMF)", LEVEL),
        Field("ohm", "Series resistance, generator included", LOOP_OHM),
        Field("turns", "Turns of the loop", TURNS_OF_LOOP),
        Field("diameter", "Its diameter (mm)", MILLIMETRES),
        Field("distance", "Distance on its axis (mm)", MILLIMETRES),
    ),
    {"level": "1m", "ohm": "450", "turns": "3", "diameter": "250", "distance": "600"},
    _field,
)
SUMS = (OTHER_RECEIVER, COUNTER, RADIATED)
