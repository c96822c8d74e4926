"""Moving a band: what each shift gains and loses of the stations that are wanted.

Both ends as found tell the oscillator's capacity against the gang's swing, (f2/f1)^2 = C1/C2 with
C1 - C2 the swing; a trimmer takes the same picofarads from both, a core moves both by one ratio.
The aerial circuit's trimmer follows at the high end, and what is left at the low one costs dB by
its Q. Source: the resonance formula at both ends.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from glowdial.core.alignment.moved_band import MOST_LOSS_DB
from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Field, Plot, PlotLine
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import CAPACITANCE, FREQUENCY, Quantity, khz
from glowdial.core.model.stations import (
    Station,
    coming_in,
    gained_and_lost,
    named,
    read_stations,
)
from glowdial.core.physics.tracking import NOMINAL_AERIAL_Q, mistracking_loss_db
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.form import ABOVE, BELOW, SumAnswer, SumForm, SumLine

TRIMMER, CORE = "the trimmer", "the core"
GRID = 81
# so little of the high stop's shift at the low one is left alone
FOLLOWS_LITTLE = 0.3
SHARE = Quantity("share", "%", "", 0.0, 30.0, "6", "must be 0 to 30 per cent")


@dataclass(frozen=True, slots=True)
class FoundBand:
    """A band as found: what comes in at both stops, the IF with the oscillator's side as its sign,
    and the gang's swing in F."""

    low_hz: float
    high_hz: float
    offset_hz: float
    swing_f: float

    def by_trimmer(self, out_f: float) -> tuple[float, float]:
        """Both stops with so much of the trimmer taken out (below zero: put in)."""
        low, high = self.low_hz + self.offset_hz, self.high_hz + self.offset_hz
        least_f = self.swing_f / ((high / low) ** 2 - 1.0)
        ends = (
            (low, least_f + self.swing_f),
            (high, least_f),
        )
        moved = tuple(f * math.sqrt(c / max(c - out_f, 1e-3 * c)) - self.offset_hz for f, c in ends)
        return moved[0], moved[1]

    def by_core(self, share: float) -> tuple[float, float]:
        """Both stops with the oscillator's coil made so much smaller."""
        ratio = 1.0 / math.sqrt(1.0 - share)
        low, high = (
            (f + self.offset_hz) * ratio - self.offset_hz for f in (self.low_hz, self.high_hz)
        )
        return low, high

    def loss_db(self, low_hz: float, high_hz: float) -> float:
        """What the aerial circuit loses at the low stop, its trimmer peaked at the high one."""
        least_f = self.swing_f / ((self.high_hz / self.low_hz) ** 2 - 1.0)
        out_f = least_f * (1.0 - (self.high_hz / high_hz) ** 2)
        most_f = least_f + self.swing_f
        tuned_hz = self.low_hz * math.sqrt(most_f / max(most_f - out_f, 1e-3 * most_f))
        return min(mistracking_loss_db(low_hz - tuned_hz, low_hz, NOMINAL_AERIAL_Q), MOST_LOSS_DB)


def _moved(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given, texts = entry.values, entry.texts
    if given["high"] <= given["low"]:
        raise BadInput("high stop", khz(given["high"]), "must lie above the low stop", "1620")
    side = 1.0 if texts["oscillator"] == ABOVE else -1.0
    band = FoundBand(given["low"], given["high"], side * given["intermediate"], given["swing"])
    if band.low_hz + band.offset_hz <= 0.0:
        raise BadInput("IF", khz(given["intermediate"]), "leaves nothing for the oscillator", "455")
    stations = read_stations(texts["stations"])
    shifts = {
        TRIMMER: [band.by_trimmer(x) for x in np.linspace(-given["spare"], given["spare"], GRID)],
        CORE: [band.by_core(x) for x in np.linspace(-given["core"], given["core"], GRID) / 100.0],
    }
    now = _weight(stations, band.low_hz, band.high_hz)
    lines = [SumLine("as it is", _kept_words(stations, band.low_hz, band.high_hz))]
    best = {means: _best(band, stations, ends) for means, ends in shifts.items()}
    for means, (low, high) in best.items():
        gained, lost = (
            named(s) for s in gained_and_lost(stations, (band.low_hz, band.high_hz), (low, high))
        )
        lines += [
            SumLine(f"by {means}", f"{khz(round(low, -3))} to {khz(round(high, -3))}"),
            SumLine("   gains", gained),
            SumLine("   loses", lost),
            SumLine("   aerial at the low stop", f"{band.loss_db(low, high):.1f} dB less"),
            SumLine("   core must follow", _core_words(band, low, high, means)),
        ]
    means = max(best, key=lambda m: (_weight(stations, *best[m]), -band.loss_db(*best[m])))
    low, high = best[means]
    won = _weight(stations, low, high) - now
    if won <= 0.0:
        words = "No shift brings in more of what is wanted: leave the band where it is."
    else:
        words = (
            f"{means[0].upper()}{means[1:]} gains most: {khz(round(low, -3))} to "
            f"{khz(round(high, -3))}, weight {now:g} becomes {now + won:g}. Note the turns: the "
            "ledger takes it back; the owner decides, and the law of the land."
        )
    plot = Plot(
        "Wanted stations that come in",
        "high stop (kHz)",
        "weight",
        tuple(
            _line(stations, m, ends, r) for (m, ends), r in zip(shifts.items(), ROLES, strict=True)
        ),
    )
    return SumAnswer(words, tuple(lines), None, plot)


ROLES = ("left", "expected")


def _core_words(band: FoundBand, low_hz: float, high_hz: float, means: str) -> str:
    """Whether the trimmer alone does it: it brings the low stop along by far less than the high."""
    if abs(high_hz - band.high_hz) < 1e3:
        return "nothing moves"
    if means == CORE:
        return "it does all; by its noted turns it goes back"
    follows = (low_hz / band.low_hz - 1.0) / (high_hz / band.high_hz - 1.0)
    left = (
        f"no: the low stop moves {100.0 * follows:.0f} % as far, and stays where it is wanted"
        if follows < FOLLOWS_LITTLE
        else f"the low stop moves {100.0 * follows:.0f} % as far: put it back with the core"
    )
    return f"{left}; by noted turns it goes back"


def _line(
    stations: Sequence[Station], means: str, ends: list[tuple[float, float]], role: str
) -> PlotLine:
    ordered = sorted(ends, key=lambda e: e[1])
    return PlotLine(
        f"by {means}",
        role,
        tuple(high / 1e3 for _, high in ordered),
        tuple(_weight(stations, low, high) for low, high in ordered),
    )


def _weight(stations: Sequence[Station], low_hz: float, high_hz: float) -> float:
    return sum(s.weight for s in coming_in(stations, (low_hz, high_hz)))


def _best(
    band: FoundBand, stations: Sequence[Station], ends: list[tuple[float, float]]
) -> tuple[float, float]:
    """Of the shifts that bring in most, the smallest."""
    return max(ends, key=lambda e: (_weight(stations, *e), -abs(e[1] - band.high_hz)))


def _kept_words(stations: Sequence[Station], low_hz: float, high_hz: float) -> str:
    count = len(coming_in(stations, (low_hz, high_hz)))
    return f"{count} of {len(stations)} wanted stations come in"


MOVING = SumForm(
    "moving-a-band",
    "oscillator and RF",
    "Moving a band",
    "What a shift of the whole band gains and loses, from both ends as found.",
    (
        Field("low", "Comes in at the low stop", FREQUENCY),
        Field("high", "Comes in at the high stop", FREQUENCY),
        Field("intermediate", "IF", FREQUENCY),
        Field("oscillator", "Oscillator", options=(ABOVE, BELOW)),
        Field("swing", "Gang, from least to most", CAPACITANCE),
        Field("spare", "Trimmer can still move by", CAPACITANCE),
        Field("core", "Core can still change by (%)", SHARE),
        Field(
            "stations",
            "Stations as CSV, one a line: frequency, name, place, weight",
            multiline=True,
        ),
    ),
    {
        "low": "525",
        "high": "1605",
        "intermediate": "455",
        "oscillator": ABOVE,
        "swing": "418 pF",
        "spare": "6 pF",
        "core": "6",
        "stations": "frequency,name,place,weight\n540,Saltmarsh,south dunes,1\n"
        "1330,Lantern Hill,the village,2\n1640,Harbour,north quay,3\n1700,Ferry House,far shore,1",
    },
    _moved,
)
SUMS = (MOVING,)
