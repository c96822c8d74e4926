"""Filling a data file with the demo. A pure function of the seed and the start of its clock."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from importlib import resources

from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.journey.steps import Status, Step
from glowdial.core.model.blocks import PartFamily
from glowdial.core.stages.bring_up.chart_step import CHART
from glowdial.core.stages.bring_up.ramp_step import RAMP
from glowdial.core.stages.faults.case import trace_key
from glowdial.core.stages.faults.complaint_steps import COMPLAINT
from glowdial.core.stages.intermediate.work import DECIDE
from glowdial.core.stages.tracking.stage import STAGE as TRACKING
from glowdial.demo.by_the_list import measure_by_the_list
from glowdial.demo.entered import entered, stamp_now
from glowdial.demo.noisy_room import measure_in_a_noisy_room
from glowdial.demo.pictures import underside
from glowdial.demo.volunteer import Volunteer, before_stage
from glowdial.sim.block_set import Trouble
from glowdial.sim.condition import (
    CapacitorFault,
    Condition,
    DeviceFault,
    FilterFault,
    PartFault,
    RectifierFault,
    SeatFault,
    SwitchFault,
    neglected,
)
from glowdial.store.database import Database
from glowdial.workshop.base.jobs import OpenCommand, open_job
from glowdial.workshop.base.sheets import facts_of, keep_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.registers import enter_line
from glowdial.workshop.stages.intake import enter_photo, fill_cells
from glowdial.workshop.stages.stock import StockCommand, put_in_stock

DEMO_SEED = 1962
WANTED_STATIONS = (
    "frequency,name,place,weight\n540,Saltmarsh,south dunes,1\n1330,Lantern Hill,the village,2\n"
    "1640,Harbour,north quay,3\n1700,Ferry House,far shore,1\n"
)
# nobody has bent the plates of the museum's sets
WELL_KEPT_GANG_WANDER = 0.004
START = datetime(2026, 5, 4, 9, 30)
# the moment that the demo's jobs lead up to, where none is given
DEMO_NOW = datetime(2026, 5, 11, 10, 0)
SHEETS_KEPT_DAYS = 30
HALF_WAY_UP = 3
# a core of each can turned by somebody who took it for a volume control
TURNED = {"t1-primary": 1.6, "t2-secondary": -1.1}
TIDEWATER, FARM, KITCHEN, TUNER = "tidewater-six", "sheepwalk-four", "pantry-five", "lintel-tuner"
PORTABLE = "causeway-portable"
FIRST_TRACE = trace_key(1)
PARTS_FIRST, LEAKING_FILTER = "parts.first", "C21a"
GALLERY, HEADLAND, SKERRY = "gallery-seven", "headland-ten", "skerry-five"
STEREO = "spandrel-stereo"
FOUR_BANDS, CAR_RADIO, ONE_CORE = "breakwater-eight", "turnpike-three", "gallery-nine"
SHEETS = (
    TIDEWATER,
    FARM,
    KITCHEN,
    TUNER,
    PORTABLE,
    GALLERY,
    HEADLAND,
    SKERRY,
    FOUR_BANDS,
    CAR_RADIO,
    ONE_CORE,
    STEREO,
)
# as found: hardly moved since it was built, drifted, every screw turned
NEVER_TOUCHED, DRIFTED, EVERY_SCREW = 0.12, 0.5, 1.4
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
        stamp_now(workshop, job_id, "photo"),
        title="underside",
        step="intake.photos",
        picture=underside(),
    )
    for n, (register, fields) in enumerate(lines):
        stamp = stamp_now(workshop, job_id, f"line-{n}")
        enter_line(workshop, job_id, stamp, register, fields=fields)
    cells = {
        ("bc AM", "plays"): "w",
        ("bc AM", "volume"): "p / crackles at the low end",
        ("bc AM", "tone"): "w",
        ("sw AM", "plays"): "p",
    }
    fill_cells(workshop, job_id, stamp_now(workshop, job_id, "cells"), cells)


@dataclass(frozen=True, slots=True)
class DemoBench:
    """What the demo's jobs are opened with: sheets by name, and the seed."""

    workshop: Workshop
    clock: DemoClock
    now: datetime
    sheets: Mapping[str, int]
    seed: int

    def arrives(
        self, name: str, serial: str, sheet: str, condition: Condition, *, days: float
    ) -> int:
        """A set comes to the bench, so many days before today; returns its job."""
        self.clock.at = self.now - timedelta(days=days)
        command = OpenCommand(self.sheets[sheet], name, serial, condition)
        return open_job(self.workshop, f"demo-{serial}", command)


def fill_demo(database: Database, seed: int = DEMO_SEED, now: datetime = DEMO_NOW) -> None:
    """The museum's bench as it stands ``now``: sets that arrived in the last three weeks, each
    neglected in its own way and each at another place of its journey. All are simulated.
    """
    clock = DemoClock(now - timedelta(days=SHEETS_KEPT_DAYS))
    workshop = Workshop(database, clock)
    sheets = {}
    with database.writing() as session:
        for name in SHEETS:
            read = read_sheet(demo_sheet(name))
            sheets[name] = keep_sheet(session, read, workshop.now()).id
    _fill_stock(workshop)
    bench = DemoBench(workshop, clock, now, sheets, seed)
    _rounds_half_way(bench)
    bench.arrives("Reading room receiver", f"TS-{seed}", TIDEWATER, _twin(seed), days=1.0)
    _part_on_order(bench)
    _handed_over(bench)
    _ramp_half_way(bench)
    _leaking_coupling(bench)
    _lopsided_curve(bench)
    _silent_on_vhf(bench)
    _dead_on_a_band(bench)
    _as_found(bench)
    _band_by_band(bench)
    _one_core(bench)
    _before_and_after(bench)
    _moved_up(bench)
    workshop.lines.close()


def _twin(seed: int) -> Condition:
    facts = facts_of(read_sheet(tidewater_sheet()).model_dump(mode="json"))
    return replace(neglected(facts, seed, settled_bands=("sw",)), gang_wander=WELL_KEPT_GANG_WANDER)


def _rounds_half_way(bench: DemoBench) -> None:
    """Trimmer and padder turned once each, and the high end to be looked at again."""
    seed = bench.seed + 1
    job_id = bench.arrives("Net loft receiver", f"TS-{seed}", TIDEWATER, _twin(seed), days=4.0)
    _fill_registers(bench.workshop, job_id)
    Volunteer(bench.workshop, job_id).work(before_stage(TRACKING))
    bench.clock.at = bench.now - timedelta(hours=2)
    Volunteer(bench.workshop, job_id).work(lambda step: step.key == "osc.bc.round2.high")


def _part_on_order(bench: DemoBench) -> None:
    """The supply diagnosed with every old part in place; the filter that leaks is on order."""
    job_id = bench.arrives(
        "Galley receiver", "PF-7", KITCHEN, kitchen_condition(bench.seed + 2), days=6.0
    )
    workshop = bench.workshop
    Volunteer(workshop, job_id, keeps_parts=True).work(lambda step: step.key == CHART)
    ordered = {"decision": "order", "measured": "29", "leakage": "14m"}
    entered(workshop, job_id, PARTS_FIRST, LEAKING_FILTER, **ordered)


def _handed_over(bench: DemoBench) -> None:
    """The whole journey, with its report."""
    job_id = bench.arrives("Byre receiver", "SF-2", FARM, farm_condition(bench.seed + 3), days=20.0)
    Volunteer(bench.workshop, job_id).work(before_stage(TRACKING))
    bench.clock.at = bench.now - timedelta(days=12.0)
    Volunteer(bench.workshop, job_id).work()


def _ramp_half_way(bench: DemoBench) -> None:
    """B+ lower than the line explains, and half of the way still to go."""
    job_id = bench.arrives(
        "Lintel tuner", "LT-3", TUNER, tuner_condition(bench.seed + 4), days=0.25
    )
    Volunteer(bench.workshop, job_id).work(_missed_half_way)


def _missed_half_way(step: Step) -> bool:
    return step.key == RAMP and len(step.results) == HALF_WAY_UP


def _leaking_coupling(bench: DemoBench) -> None:
    """The chart taken: the output tube's grid stands above zero until the capacitor is lifted."""
    seed = bench.seed + 5
    leak = CapacitorFault("V4", "coupling", leak_ohm=8e6)
    condition = replace(_twin(seed), emission=1.0, load=1.0, faults=(leak,))
    job_id = bench.arrives("Chart room receiver", f"TS-{seed}", TIDEWATER, condition, days=3.0)
    Volunteer(bench.workshop, job_id, keeps_parts=True).work(
        lambda step: step.key == CHART and step.status is Status.TROUBLE
    )


def _tried(bench: DemoBench, job_id: int, cells: dict[tuple[str, str], str]) -> None:
    """What a set does and does not, in its function matrix."""
    workshop = bench.workshop
    fill_cells(workshop, job_id, stamp_now(workshop, job_id, "cells"), cells)


def _complained(bench: DemoBench, job_id: int, words: str) -> None:
    """What is wrong with it, as it is traced."""
    workshop = bench.workshop
    entered(workshop, job_id, COMPLAINT, "what", what=words)


def portable_condition(seed: int) -> Condition:
    """A portable whose FM board is not home in its socket, and behind that a dried-out bypass."""
    facts = facts_of(read_sheet(demo_sheet(PORTABLE)).model_dump(mode="json"))
    dry = PartFault("fm-if-2", PartFamily.ELECTROLYTIC, Trouble.DRIED_OUT, 17.0)
    return replace(neglected(facts, seed, severity=0.3), faults=(SeatFault("FM IF"), dry))


def _silent_on_vhf(bench: DemoBench) -> None:
    """AM plays, VHF does not: two faults, of which one hides the other."""
    condition = portable_condition(bench.seed + 7)
    job_id = bench.arrives("Strand portable", "CP-9", PORTABLE, condition, days=1.5)
    cells = {
        ("lw AM", "plays"): "w",
        ("mw AM", "plays"): "w",
        ("vhf FM", "plays"): "f / not even noise",
    }
    _tried(bench, job_id, cells)
    Volunteer(bench.workshop, job_id).work(lambda step: step.key == COMPLAINT)
    _complained(bench, job_id, "dead")
    Volunteer(bench.workshop, job_id).work(lambda step: step.key == FIRST_TRACE)


def _moved_up(bench: DemoBench) -> None:
    """A portable that plays: its owner wants medium wave moved up to the harbour's stations. The
    move is decided, and the oscillator on its way there."""
    facts = facts_of(read_sheet(demo_sheet(PORTABLE)).model_dump(mode="json"))
    condition = neglected(facts, bench.seed + 12, severity=0.2)
    job_id = bench.arrives("Pilot boat portable", "CP-11", PORTABLE, condition, days=2.5)
    Volunteer(bench.workshop, job_id).work(lambda step: step.key == "osc.mw.decide")
    entered(bench.workshop, job_id, "osc.mw.move", "wanted", wanted=WANTED_STATIONS)
    entered(bench.workshop, job_id, "osc.mw.move", "to", "1720 high yes, the harbour counts most")
    bench.clock.at = bench.now - timedelta(hours=1)
    Volunteer(bench.workshop, job_id).work(lambda step: step.key.startswith("osc.mw.round2"))


def harbour_condition(seed: int) -> Condition:
    """A tube set whose short-wave contact is open, and whose coupling capacitor leaks when hot."""
    contact = SwitchFault("sw", contact_ohm=1e6)
    leak = CapacitorFault("V4", "coupling", leak_ohm=8e6)
    return replace(_twin(seed), emission=1.0, load=1.0, faults=(contact, leak))


def _dead_on_a_band(bench: DemoBench) -> None:
    """Short wave is dead, and medium wave distorts when hot."""
    seed = bench.seed + 8
    condition = harbour_condition(seed)
    job_id = bench.arrives("Harbour office receiver", f"TS-{seed}", TIDEWATER, condition, days=5.0)
    cells = {("bc AM", "plays"): "p / distorted when hot", ("sw AM", "plays"): "f"}
    _tried(bench, job_id, cells)
    Volunteer(bench.workshop, job_id, keeps_parts=True).work(lambda step: step.key == COMPLAINT)


def _well_kept(sheet: str, seed: int, severity: float) -> Condition:
    """A set so far neglected whose gang nobody has bent."""
    facts = facts_of(read_sheet(demo_sheet(sheet)).model_dump(mode="json"))
    return replace(neglected(facts, seed, severity=severity), gang_wander=WELL_KEPT_GANG_WANDER)


def _as_found(bench: DemoBench) -> None:
    """Three sets before their IF is decided on: an AM and FM one that drifted, a communications
    receiver that nobody touched, an early one whose every screw was turned."""
    sets = (
        ("Gallery radio", "GS-4", GALLERY, DRIFTED, "fm.if.decide"),
        ("Signal house receiver", "HT-1", HEADLAND, NEVER_TOUCHED, DECIDE),
        ("Skerry light receiver", "SK-5", SKERRY, EVERY_SCREW, DECIDE),
    )
    for n, (name, serial, sheet, severity, until) in enumerate(sets):
        condition = _well_kept(sheet, bench.seed + 9 + n, severity)
        job_id = bench.arrives(name, serial, sheet, condition, days=7.0 + n)
        Volunteer(bench.workshop, job_id).work(_standing_at(until))


def _band_by_band(bench: DemoBench) -> None:
    """A communications receiver with two of its four bands done, and a car radio tuned by slugs
    whose ends were just read."""
    sets = (
        ("Watch room receiver", "BE-6", FOUR_BANDS, DRIFTED, "osc.d.round1"),
        ("Ferry master's car radio", "TT-2", CAR_RADIO, EVERY_SCREW, "osc.band1.decide"),
    )
    for n, (name, serial, sheet, severity, until) in enumerate(sets):
        condition = _well_kept(sheet, bench.seed + 20 + n, severity)
        job_id = bench.arrives(name, serial, sheet, condition, days=12.0 + n)
        if sheet == FOUR_BANDS:
            Volunteer(bench.workshop, job_id).work(_begins("if."))
            measure_in_a_noisy_room(bench.workshop, job_id)
        Volunteer(bench.workshop, job_id).work(_begins(until))


def _one_core(bench: DemoBench) -> None:
    """An AM and FM radio whose VHF dial was just read: one core moves its whole scale."""
    facts = facts_of(read_sheet(demo_sheet(ONE_CORE)).model_dump(mode="json"))
    condition = neglected(facts, bench.seed + 22, severity=DRIFTED)
    job_id = bench.arrives("Station house radio", "GN-8", ONE_CORE, condition, days=14.0)
    Volunteer(bench.workshop, job_id).work(_begins("osc.fm.round1"))


# cores of one can after the other turned the same way: the IF stands beside its middle
OFF_THE_MIDDLE = {f"t{n}-{s}": 0.5 for n in (1, 2, 3) for s in ("primary", "secondary")}


def _before_and_after(bench: DemoBench) -> None:
    """A stereo tuner measured by the whole list as found, aligned, and measured again."""
    facts = facts_of(read_sheet(demo_sheet(STEREO)).model_dump(mode="json"))
    untouched = neglected(facts, bench.seed + 23, severity=NEVER_TOUCHED)
    condition = replace(untouched, turns={**untouched.turns, **OFF_THE_MIDDLE})
    job_id = bench.arrives("Choir loft tuner", "SP-3", STEREO, condition, days=16.0)
    Volunteer(bench.workshop, job_id).work(_begins("if."))
    measure_by_the_list(bench.workshop, job_id, FOUND)
    # its peak passes for right, and the curves tell that it is not in the middle
    Volunteer(bench.workshop, job_id).work(_standing_at(DECIDE))
    entered(bench.workshop, job_id, DECIDE, "decision", decision="align")
    Volunteer(bench.workshop, job_id).work(_begins("handover"))
    measure_by_the_list(bench.workshop, job_id, LEFT)


def _begins(key: str) -> Callable[[Step], bool]:
    return lambda step: step.key.startswith(key)


def _standing_at(key: str) -> Callable[[Step], bool]:
    return lambda step: step.key == key


def _lopsided_curve(bench: DemoBench) -> None:
    """The IF surveyed: it peaks beside where it belongs, and falls unlike on its two sides."""
    seed = bench.seed + 6
    untouched = _twin(seed)
    condition = replace(untouched, turns={**untouched.turns, **TURNED})
    job_id = bench.arrives("Chandler's receiver", f"TS-{seed}", TIDEWATER, condition, days=2.0)
    Volunteer(bench.workshop, job_id).work(lambda step: step.key == DECIDE)
