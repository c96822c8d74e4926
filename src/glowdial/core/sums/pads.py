"""The pad designer: resistors in preferred values, and what the pad then really is."""

from __future__ import annotations

import math
from collections.abc import Sequence

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Field
from glowdial.core.language.quantities import LEVEL, RESISTANCE, Quantity, engineering
from glowdial.core.physics.aerials import least_loss_db
from glowdial.core.physics.pads import Arm, BuiltPad, PadShape, design_pad, stacked
from glowdial.core.physics.preferred_values import Series
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.form import SumAnswer, SumForm, SumLine

PAD_LOSS = Quantity("pad loss", "dB", "dB", 0.0, 80.0, "20", "must be 0 to 80 dB")
IN_A_ROW = Quantity("pads in a row", "", "", 1.0, 6.0, "1", "must be 1 to 6 pads")
UNBALANCED, BALANCED = "unbalanced", "balanced"
VALUES = {"E24": Series.E24, "E12": Series.E12, "exact": None}


def _designed(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given, texts = entry.values, entry.texts
    source, load, balanced = given["source"], given["load"], texts["legs"] == BALANCED
    shape = PadShape(texts["shape"])
    least = 0.0 if math.isclose(source, load) else least_loss_db(source, load)
    exact = design_pad(shape, max(given["loss"], least + 1e-6), source, load, balanced=balanced)
    series = VALUES[texts["values"]]
    one = exact.in_values(series) if series else exact
    count = round(given["count"])
    alike = math.isclose(source, load)
    pad = stacked([one] * count) if alike else one
    emf_v = given["level"]
    watts = pad.dissipated_w(emf_v)
    ends = pad.return_loss_db()
    lines = [
        *(_arm_line(n, arm, one) for n, arm in enumerate(one.arms, start=1)),
        SumLine("loss, power", f"{pad.loss_db():.2f} dB"),
        SumLine("loss, volts", f"{pad.volts_db():.2f} dB"),
        SumLine("return loss at the generator", _match(ends[0], pad.seen_ohm())),
        SumLine("return loss at the set", _match(ends[1], pad.seen_back_ohm())),
        SumLine("hottest resistor", engineering(max(watts, default=0.0), "W", 2)),
        SumLine("least loss that matches", f"{least:.2f} dB"),
    ]
    row = f"{count} in a row, " if alike and count > 1 else ""
    note = "" if alike or count == 1 else " Only pads between like resistances stand in a row."
    low = given["loss"] < least and shape is not PadShape.LEAST_LOSS
    told = f" {given['loss']:g} dB cannot match them: the least can." if low else ""
    return SumAnswer(
        f"{row}{shape.value} of {engineering(source, 'ohm')} to {engineering(load, 'ohm')}: "
        f"{pad.loss_db():.2f} dB of power, {pad.volts_db():.2f} dB of volts.{told}{note}",
        tuple(lines),
    )


def _arm_line(number: int, arm: Arm, pad: BuiltPad) -> SumLine:
    """An arm as it is soldered in."""
    if arm.series and pad.balanced:
        return SumLine(f"arm {number}, in series", f"2 x {engineering(arm.ohm / 2.0, 'ohm', 4)}")
    place = "in series" if arm.series else "across"
    return SumLine(f"arm {number}, {place}", engineering(arm.ohm, "ohm", 4))


def _match(return_loss_db: float, seen_ohm: float) -> str:
    shown = "no reflection" if math.isinf(return_loss_db) else f"{return_loss_db:.0f} dB"
    return f"{shown}, {engineering(seen_ohm, 'ohm')} seen"


PAD = SumForm(
    "pad",
    "proof",
    "Pad designer",
    "A pad between two resistances in preferred values, with its true loss and match.",
    (
        Field("source", "From", RESISTANCE),
        Field("load", "To", RESISTANCE),
        Field("loss", "Loss wanted", PAD_LOSS),
        Field("shape", "Shape", options=tuple(PadShape)),
        Field("legs", "Line", options=(UNBALANCED, BALANCED)),
        Field("values", "Resistors", options=tuple(VALUES)),
        Field("count", "So many in a row", IN_A_ROW),
        Field("level", "Generator (EMF)", LEVEL),
    ),
    {
        "source": "50",
        "load": "50",
        "loss": "20",
        "shape": PadShape.T.value,
        "legs": UNBALANCED,
        "values": "E24",
        "count": "1",
        "level": "2 V",
    },
    _designed,
)
SUMS = (PAD,)
