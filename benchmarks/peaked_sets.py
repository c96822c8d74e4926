"""Whole receivers aligned at the simulated bench by following the advice: where both ends of every
band stand then, how many moves it took, and what each signal circuit loses at its mark.

python -m benchmarks.peaked_sets [RECEIVERS] [FIRST SEED]
"""

from __future__ import annotations

import math
import sys
import tempfile
from collections import defaultdict
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.dial.points import dial_curve
from glowdial.demo.fill import DemoClock, demo_sheet, tidewater_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sheets.facts import receiver_facts
from glowdial.sheets.receiver import ReceiverSheet
from glowdial.sheets.template import sheet_from_template
from glowdial.sheets.template_form import BeforeMixer, TemplateForm, read_form
from glowdial.sim.condition import neglected
from glowdial.sim.front_end import front_end
from glowdial.sim.state import BenchState
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import JobPage, OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import keep_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop

# circuits that share little with the commonest one: what the page's form makes of them
OTHER_CIRCUITS: dict[str, tuple[str, dict[str, Any], dict[str, Any]]] = {
    "long wave, oscillator below": (
        "50",
        {"name": "Long wave", "low": "150", "high": "300", "oscillator": "below"},
        {},
    ),
    "plates cut for the band": (
        "455",
        {"name": "Broadcast", "low": "540", "high": "1600", "plates": "cut for the band"},
        {},
    ),
    "a rack of slugs": (
        "262",
        {"name": "Broadcast", "low": "540", "high": "1600"},
        {"tuned_by": "rack of slugs"},
    ),
    "an RF stage, and a loop to listen with": (
        "455",
        {"name": "Broadcast", "low": "540", "high": "1600", "before_mixer": "aerial and RF"},
        {"listens_with": "loop"},
    ),
    "three circuits before the mixer": (
        "455",
        {"name": "Broadcast", "low": "540", "high": "1600", "before_mixer": BeforeMixer.THREE},
        {},
    ),
    "converted twice, the first oscillator tunable": (
        "455",
        {"name": "Short wave", "low": "6 MHz", "high": "16 MHz"},
        {"first_intermediate": "1850"},
    ),
    "converted twice, the first oscillator fixed": (
        "455",
        {"name": "Short wave", "low": "14 MHz", "high": "15 MHz", "first_oscillator": "9 MHz"},
        {},
    ),
    "short wave below": (
        "455",
        {"name": "Short wave", "low": "6 MHz", "high": "16 MHz", "oscillator": "below"},
        {},
    ),
}
TWO_BANDS, FOUR_BANDS = "two bands", "four bands, one can shared"
ENOUGH_DB = 1.0


def sheet_of(circuit: str) -> ReceiverSheet:
    """The sheet of a receiver of one of these circuits."""
    if circuit == TWO_BANDS:
        return read_sheet(tidewater_sheet())
    if circuit == FOUR_BANDS:
        return read_sheet(demo_sheet("breakwater-eight"))
    intermediate, band, more = OTHER_CIRCUITS[circuit]
    form = TemplateForm(
        maker="Orlwick", model="Kelp Two", intermediate_frequency=intermediate, bands=[band], **more
    )
    return sheet_from_template(read_form(form))


def opened(workshop: Workshop, sheet: ReceiverSheet, facts: ReceiverFacts, seed: int) -> int:
    """A job on a neglected set of a sheet."""
    with workshop.database.writing() as session:
        sheet_id = keep_sheet(session, sheet, workshop.now()).id
    condition = neglected(facts, seed)
    command = OpenCommand(sheet_id, "a set", condition=condition)
    return open_job(workshop, "benchmark-opening", command)


def aligned_bands(view: JobPage, facts: ReceiverFacts) -> list[BandFacts]:
    """The bands whose signal circuits were peaked."""
    return [b for b in facts.bands if view.record.latest(f"osc.{b.key}.aerial", "peak") is not None]


def signal_loss_db(
    view: JobPage, facts: ReceiverFacts, seed: int, band: BandFacts, adjuster: str
) -> float:
    """What a signal circuit loses at its mark, with the dial as left, against the best that any
    place of its adjuster gives there."""
    condition = neglected(facts, seed)
    turned = _turned_in(view, facts)
    low_ones = (band.rf_low_adjuster, band.aerial_low_adjuster)
    mark_hz = band.low_mark_hz if adjuster in low_ones else band.high_mark_hz

    def gain(more: float) -> float:
        turns = {**turned, adjuster: turned[adjuster] + more}
        state = BenchState(band=band.key, dial_hz=mark_hz, turns=turns, in_cabinet=True)
        front = front_end(facts, condition, band, state, rf_slope_s=2e-3)
        signal_hz = front.local_oscillator_hz - band.tracked.offset_hz
        return float(front.aerial_gain(np.array([signal_hz]))[0])

    return 20.0 * math.log10(max(gain(m) for m in np.linspace(-1.5, 1.5, 301)) / gain(0.0))


def _turned_in(view: JobPage, facts: ReceiverFacts) -> dict[str, float]:
    """Where every adjuster was left."""
    return {a.key: view.record.turns_of(a.key) for a in facts.adjusters}


def ends_inside(view: JobPage, band: BandFacts) -> list[bool]:
    """Whether a band's ends stand inside, as they were read in the cabinet at the end."""
    curve = dial_curve(view.record, band)
    if curve is None:
        return []
    ends = (band.high_mark_hz, band.low_mark_hz)
    read = {m.dial_hz: abs(m.error_hz) <= band.tolerance_hz(m.dial_hz) for m in curve.marks}
    return [read[hz] for hz in ends if hz in read]


@dataclass
class Tally:
    """What came out, by circuit."""

    losses_db: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    inside: dict[str, list[bool]] = field(default_factory=lambda: defaultdict(list))
    moves: dict[str, list[int]] = field(default_factory=lambda: defaultdict(list))


def work(circuit: str, seed: int, tally: Tally) -> None:
    """One receiver, until its dial is done in the cabinet and its proof comes next."""
    sheet = sheet_of(circuit)
    facts = receiver_facts(sheet)
    with tempfile.TemporaryDirectory() as folder:
        database = Database(sqlite_url(Path(folder) / "sets.sqlite"))
        database.migrate()
        workshop = Workshop(database, DemoClock())
        job_id = opened(workshop, sheet, facts, seed)
        Volunteer(workshop, job_id).work(until=lambda step: step.key.startswith("proof.left"))
        view = job_page(workshop, job_id)
    for band in aligned_bands(view, facts):
        for key in band.signal_adjusters:
            tally.losses_db[circuit].append(signal_loss_db(view, facts, seed, band, key))
        adjusted = [k for k in (band.high_adjuster, band.low_adjuster) if k]
        of_band = [m for m in view.record.moves if m.step.startswith(f"osc.{band.key}.round")]
        tally.moves[circuit] += [sum(m.adjuster == k for m in of_band) for k in adjusted]
        tally.inside[circuit] += ends_inside(view, band)


def main(receivers: int, first: int) -> None:
    """Align so many receivers and print what came out."""
    circuits = (TWO_BANDS, FOUR_BANDS, *OTHER_CIRCUITS)
    tally = Tally()
    for seed in range(first, first + receivers):
        work(circuits[seed % len(circuits)], seed, tally)
    for name in circuits:
        losses = tally.losses_db[name]
        if losses:
            print(
                f"{name}: {len(losses)} peaks, within {ENOUGH_DB:g} dB {_share(losses)}, worst "
                f"{max(losses):.2f} dB; ends inside {100 * np.mean(tally.inside[name]):.0f} % of "
                f"{len(tally.inside[name])}; moves {np.mean(tally.moves[name]):.2f}"
            )
    every = [loss for losses in tally.losses_db.values() for loss in losses]
    ends = [i for inside in tally.inside.values() for i in inside]
    print(
        f"{receivers} receivers: {len(every)} peaks, within {ENOUGH_DB:g} dB {_share(every)}; "
        f"ends inside {100 * np.mean(ends):.1f} % of {len(ends)}"
    )


def _share(losses_db: list[float]) -> str:
    return f"{100 * np.mean(np.array(losses_db) < ENOUGH_DB):.1f} %"


if __name__ == "__main__":
    main(*(int(a) for a in (*sys.argv[1:], *("40", "100")[len(sys.argv) - 1 :])))
