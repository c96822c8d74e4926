"""Filling a data file with the demo. A pure function of the seed and the start of its clock."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from importlib import resources

from glowdial.core.stages.tracking.steps import STAGE as TRACKING
from glowdial.demo.pictures import underside
from glowdial.demo.volunteer import Volunteer, before_stage
from glowdial.sim.condition import (
    Condition,
    DeviceFault,
    FilterFault,
    RectifierFault,
    neglected,
)
from glowdial.store.database import Database
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import facts_of, keep_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.registers import enter_line
from glowdial.workshop.stages.intake import enter_photo, fill_cells
from glowdial.workshop.stages.stock import StockCommand, put_in_stock

DEMO_SEED = 1962
# nobody has bent the plates of the museum's sets
WELL_KEPT_GANG_WANDER = 0.004
START = datetime(2026, 5, 4, 9, 30)
SECONDS_PER_LOOK = 30


@dataclass(slots=True)
class DemoClock:
    """A clock that moves on by half a minute at each look, so that the demo's log is repeatable."""

    at: datetime = START

    def __call__(self) -> datetime:
        """The present moment, then time passes."""
        now = self.at
        self.at += timedelta(seconds=SECONDS_PER_LOOK)
        return now


def demo_sheet(name: str) -> str:
    """One of the demo's data sheets as JSON text."""
    return (resources.files("glowdial.demo") / "sheets" / f"{name}.json").read_text("utf-8")


def tidewater_sheet() -> str:
    """The demo receiver's data sheet as JSON text."""
    return demo_sheet("tidewater-six")


def kitchen_condition(seed: int) -> Condition:
    """A kitchen set whose ballast has drifted and whose first filter leaks, healing with time."""
    facts = facts_of(read_sheet(demo_sheet("pantry-five")).model_dump(mode="json"))
    leak = FilterFault(0, capacity=0.9, leak_ohm=4500.0, reforms_in_s=500.0)
    return replace(
        neglected(facts, seed, severity=0.6),
        gang_wander=WELL_KEPT_GANG_WANDER,
        emission=0.95,
        dropper=1.25,
        faults=(leak,),
    )


def farm_condition(seed: int) -> Condition:
    """A farm set whose IF tube has lost half of its emission."""
    facts = facts_of(read_sheet(demo_sheet("sheepwalk-four")).model_dump(mode="json"))
    return replace(
        neglected(facts, seed, severity=0.6),
        gang_wander=WELL_KEPT_GANG_WANDER,
        faults=(DeviceFault("V2", 0.5),),
    )


def tuner_condition(seed: int) -> Condition:
    """A tuner whose selenium has aged, one pair of its bridge's arms far more than the other."""
    facts = facts_of(read_sheet(demo_sheet("lintel-tuner")).model_dump(mode="json"))
    return replace(
        neglected(facts, seed, severity=0.6),
        gang_wander=WELL_KEPT_GANG_WANDER,
        faults=(RectifierFault(age=1.5, half_age=25.0),),
    )


DEMO_STOCK = (
    ("electrolytic", "10u", "450", 6, ""),
    ("electrolytic", "22u", "450", 4, ""),
    ("electrolytic", "47u", "400", 2, ""),
    ("electrolytic", "470u", "35", 3, ""),
    ("capacitor", "10n", "630", 12, ""),
    ("capacitor", "22n", "630", 10, ""),
    ("capacitor", "47n", "630", 9, ""),
    ("capacitor", "100n", "630", 8, ""),
    ("capacitor", "4.7n", "250", 4, "Y2"),
    ("capacitor", "22n", "275", 3, "X2"),
    ("resistor", "220k", "0.5", 20, ""),
    ("resistor", "1k2", "10", 2, ""),
)


def _fill_stock(workshop: Workshop) -> None:
    for n, (kind, value, rating, count, safety) in enumerate(DEMO_STOCK):
        command = StockCommand(kind, value, rating, count, safety)
        put_in_stock(workshop, f"demo-stock-{n}", command)


def _fill_registers(workshop: Workshop, job_id: int) -> None:
    """What the volunteers found on the net loft set."""
    lines: tuple[tuple[str, dict[str, str]], ...] = (
        (
            "modifications",
            {
                "what": "blue capacitor from T2 to chassis",
                "where": "next to the second IF can",
                "whose": "found",
                "purpose": "to stop a whistle, by the owner's account",
                "effect": "bypasses audio; it was a wax one's job",
                "reversible": "yes",
                "decision": "ask the owner",
            },
        ),
        (
            "questions",
            {"question": "Who added the blue capacitor, and when?", "photo": "underside"},
        ),
        ("parked", {"what": "R14 looks browned", "where": "behind V3"}),
    )
    enter_photo(
        workshop,
        job_id,
        _stamp(workshop, job_id, "photo"),
        title="underside",
        step="intake.photos",
        picture=underside(),
    )
    for n, (register, fields) in enumerate(lines):
        stamp = _stamp(workshop, job_id, f"line-{n}")
        enter_line(workshop, job_id, stamp, register, fields=fields)
    cells = {
        ("bc AM", "plays"): "w",
        ("bc AM", "volume"): "p / crackles at the low end",
        ("bc AM", "tone"): "w",
        ("sw AM", "plays"): "p",
    }
    fill_cells(workshop, job_id, _stamp(workshop, job_id, "cells"), cells)


def _stamp(workshop: Workshop, job_id: int, name: str) -> Stamp:
    return Stamp(f"demo-{job_id}-{name}", job_page(workshop, job_id).version)


def fill_demo(database: Database, seed: int = DEMO_SEED) -> None:
    """The museum's bench: one set waiting at the door and its twin already on the way, a kitchen
    set without a transformer, a farm set on batteries, and a tuner on tired selenium.

    All are simulated, neglected each in its own way.
    """
    workshop = Workshop(database, DemoClock())
    with database.writing() as session:
        sheet_id = keep_sheet(session, read_sheet(tidewater_sheet()), workshop.now()).id
        farm_id = keep_sheet(session, read_sheet(demo_sheet("sheepwalk-four")), workshop.now()).id
        kitchen_id = keep_sheet(session, read_sheet(demo_sheet("pantry-five")), workshop.now()).id
        tuner = read_sheet(demo_sheet("lintel-tuner"))
        tuner_id = keep_sheet(session, tuner, workshop.now()).id
    _fill_stock(workshop)
    _twin(workshop, sheet_id, seed + 1, "Net loft receiver", before_stage(TRACKING))
    _twin(workshop, sheet_id, seed, "Reading room receiver", None)
    command = OpenCommand(kitchen_id, "Galley receiver", "PF-7", kitchen_condition(seed + 2))
    open_job(workshop, "demo-kitchen", command)
    command = OpenCommand(farm_id, "Byre receiver", "SF-2", farm_condition(seed + 3))
    open_job(workshop, "demo-farm", command)
    command = OpenCommand(tuner_id, "Lintel tuner", "LT-3", tuner_condition(seed + 4))
    open_job(workshop, "demo-tuner", command)


def _twin(
    workshop: Workshop,
    sheet_id: int,
    seed: int,
    name: str,
    until: Callable[..., bool] | None,
) -> None:
    facts = facts_of(read_sheet(tidewater_sheet()).model_dump(mode="json"))
    condition = replace(
        neglected(facts, seed, settled_bands=("sw",)), gang_wander=WELL_KEPT_GANG_WANDER
    )
    command = OpenCommand(sheet_id, name, f"TS-{seed}", condition)
    job_id = open_job(workshop, f"demo-{seed}", command)
    if until is not None:
        _fill_registers(workshop, job_id)
        Volunteer(workshop, job_id).work(until)
