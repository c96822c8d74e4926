"""Prints what each budgeted thing takes on this machine, as a share of its budget."""

from __future__ import annotations

import gzip
import itertools
import re
import shutil
import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from scipy.optimize import fsolve

from benchmarks.long_jobs import long_job_times
from glowdial.bench.profile import shipped_profile
from glowdial.bench.visa import VisaLine
from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind, Link, Position, TestPoint
from glowdial.core.model.measurands import AVC
from glowdial.core.physics.combinations import Stocked, Wanted, choose_capacitor, choose_resistor
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Supply,
    Topology,
    vacuum_rectifier,
)
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.physics.tracking import Gang, best_points, signal_circuit, three_point
from glowdial.core.tracing.failures import USUAL_PARTS, Symptom, suspects_of
from glowdial.core.tracing.next_trial import Trials, proposals
from glowdial.core.tracing.posterior import pair_posterior, posterior
from glowdial.core.tracing.trials import Finding, Outcome, possible_trials
from glowdial.demo.fill import START, fill_demo, tidewater_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.sim.condition import neglected
from glowdial.sim.instruments import instruments
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.servers import serve, stop
from glowdial.sim.state import BenchState
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.sheets import read_sheet
from glowdial.workshop.base.workshop import Workshop

FLEET, FLEET_S = 200, 20
STOCK_LINES = 100
LEAST_SPICE_RATIO = 20
# where a long job is held to its budgets, and what counts as no growth
HELD_AT, FLAT = 5_000, 1.6
# the circuit of ngspice/vacuum-centre-tap.cir
SPICE_SUPPLY = Supply(
    topology=Topology.CENTRE_TAP,
    line_v=230.0,
    line_hz=50.0,
    secondary_v=300.0,
    source_ohm=220.0,
    rectifier=vacuum_rectifier(55.0, 0.125),
    reservoir_f=16e-6,
    sections=(FilterSection(1200.0, 16e-6),),
    load=Load(0.06, 235.0, 1.4),
)
WEB = Path(__file__).resolve().parents[1] / "web" / "dist"


@dataclass(frozen=True)
class Line:
    """One measured thing against its budget."""

    what: str
    measured: float
    budget: float
    unit: str

    def print(self) -> None:
        """One row of the table."""
        share = self.measured / self.budget
        mark = "within" if share <= 1.0 else "OVER"
        print(
            f"{self.what:<58}{self.measured:9.3f} {self.unit:<3} of {self.budget:g} "
            f"{self.unit:<3} {share:6.0%}  {mark}"
        )


def median_ms(act: Callable[[int], object], repeats: int = 60) -> float:
    """Median time of ``act``, warmed up, each call with a number of its own."""
    act(-1)
    times = []
    for n in range(repeats):
        begin = time.perf_counter()
        act(n)
        times.append(1e3 * (time.perf_counter() - begin))
    return statistics.median(times)


def receiver_lines() -> list[Line]:
    """One AVC reading, aerial to AVC, each at another frequency."""
    facts = receiver_facts(read_sheet(tidewater_sheet()))
    receiver = SimulatedReceiver(facts, neglected(facts, 1))
    state = BenchState(
        line_v=230.0, injection="aerial", band="bc", dial_hz=1e6, generator_emf_v=1e-4
    )
    reading = median_ms(
        lambda n: receiver.read(replace(state, generator_hz=1e6 + 10.0 * n), AVC), 300
    )
    row = np.linspace(0.98e6, 1.02e6, 601)
    sweep = median_ms(lambda n: receiver.sweep_avc_v(state, row + 10.0 * n), 100)
    return [
        Line("one AVC reading of the simulated receiver", reading, 1.0, "ms"),
        Line("sweep of 601 points, aerial to AVC", sweep, 5.0, "ms"),
    ]


def fleet_lines() -> list[Line]:
    """200 neglected sets, switched on cold and stepped together by a second, warm-up included."""
    facts = receiver_facts(read_sheet(tidewater_sheet()))
    sets = [SimulatedReceiver(facts, neglected(facts, seed)) for seed in range(FLEET)]
    on = BenchState(
        line_v=230.0,
        injection="aerial",
        band="bc",
        dial_hz=1e6,
        generator_hz=1e6,
        generator_emf_v=1e-4,
    )
    states = [receiver.cooled(on) for receiver in sets]
    begin = time.perf_counter()
    for _ in range(FLEET_S):
        states = [r.advance(s, 1.0) for r, s in zip(sets, states, strict=True)]
    taken = time.perf_counter() - begin
    return [Line(f"{FLEET_S} s of {FLEET} sets in steps of 1 s", taken, FLEET_S, "s")]


def tracing_lines() -> list[Line]:
    """A plain chain of 60 blocks with a point at each, 100 results, 40 of them levels."""
    keys = [f"b{n}" for n in range(60)]
    blocks = tuple(
        Block(k, k, BlockKind.AMPLIFIER, USUAL_PARTS[BlockKind.AMPLIFIER], gain_db=10.0)
        for k in keys
    )
    links = tuple(Link(a, b) for a, b in itertools.pairwise(keys))
    points = tuple(TestPoint(k, k, k) for k in keys[1:])
    only = (Position("mw AM", "medium wave"),)
    diagram = BlockDiagram(blocks, links, points, only, keys[0], keys[-1])
    suspects = suspects_of(diagram, symptom=Symptom.SIGNAL)
    possible = possible_trials(diagram)
    rng = np.random.default_rng(1)
    findings = []
    for n, pick in enumerate(rng.choice(len(possible), 100, replace=False)):
        trial = possible[int(pick)]
        bad = "b30" in trial.reach
        if trial.levelled and n % 2:
            lost = float(rng.normal(20.0 if bad else 0.0, 3.0))
            findings.append(Finding(trial, loss_db=lost))
        else:
            findings.append(Finding(trial, Outcome.BAD if bad else Outcome.GOOD))
    trials = Trials.of(keys, possible)
    done = [f.trial.key for f in findings]
    both = median_ms(lambda _: proposals(posterior(suspects, findings), trials, done))
    pairs = median_ms(lambda _: pair_posterior(suspects, findings), 20)
    return [
        Line("posterior and next test, 60 blocks, 100 results", both, 5.0, "ms"),
        Line("pairs of faults of the same", pairs, 50.0, "ms"),
    ]


def tracking_lines() -> list[Line]:
    """Three points in closed form, the minimax, and the closed form against Newton."""
    signal = signal_circuit(Gang(12e-12, 430e-12), 530e3, 1620e3)
    points = (600e3, 1000e3, 1400e3)

    def closed(n: int) -> object:
        band = three_point(signal, 465e3 + n, points)
        return [band.error_hz(530e3 + 27e3 * k) for k in range(41)]

    def newton(n: int) -> object:
        def misfit(x: object) -> list[float]:
            coil, trimmer, padder = (float(v) for v in x)  # type: ignore[attr-defined]
            out = []
            for f in points:
                gang = float(signal.gang_capacity_f(f)) * 1e12
                total = padder * (gang + trimmer) / (padder + gang + trimmer)
                out.append(159155.0 / (coil * total) ** 0.5 - (f + 465e3 + n) / 1e3)
            return out

        return fsolve(misfit, [110.0, 40.0, 450.0])

    exact = median_ms(lambda n: three_point(signal, 465e3 + n, points), 200)
    iterated = median_ms(newton, 30)
    print(f"three-point values: closed form {iterated / exact:.0f} times as fast as Newton")
    best = median_ms(lambda n: best_points(signal, 465e3 + n, 530e3, 1620e3), 10)
    return [
        Line("three-point tracking and its error curve", median_ms(closed), 5.0, "ms"),
        Line("best points (minimax)", best, 100.0, "ms"),
    ]


def supply_lines() -> list[Line]:
    """B+ at one AC voltage, each a new one."""
    supply = receiver_facts(read_sheet(tidewater_sheet())).supply
    assert supply is not None
    one = median_ms(lambda n: steady_state(supply, 180.0 + 0.5 * n), 60)
    lines = [Line("supply prediction, one AC voltage", one, 10.0, "ms")]
    choke = replace(supply, input_choke_h=10.0, input_choke_ohm=200.0)
    with_choke = median_ms(lambda n: steady_state(choke, 180.0 + 0.5 * n), 60)
    lines.append(Line("the same behind an input choke", with_choke, 10.0, "ms"))
    if shutil.which("ngspice"):
        same = median_ms(lambda n: steady_state(SPICE_SUPPLY, 230.0 + 1e-6 * n), 60)
        spice = median_ms(lambda _: ngspice_settled(), 9)
        ours, theirs = steady_state(SPICE_SUPPLY, 230.0).node_v[-1], ngspice_settled()
        print(
            f"supply prediction: {spice / same:.0f} times as fast as ngspice (at least "
            f"{LEAST_SPICE_RATIO} wanted); B+ {ours:.3f} V against {theirs:.3f} V"
        )
        lines.append(Line("share of ngspice's time", same / spice, 1 / LEAST_SPICE_RATIO, ""))
    return lines


def ngspice_settled() -> float:
    """B+ of the vacuum supply by ngspice with the coarsest settings that still settle to 0.1 %."""
    netlist = Path(__file__).parent / "ngspice" / "vacuum-centre-tap.cir"
    done = subprocess.run(
        ["ngspice", "-b", netlist.name], cwd=netlist.parent, capture_output=True, text=True
    )
    found = re.search(r"^node2\s+=\s+(\S+)", done.stdout, re.MULTILINE)
    return float(found[1]) if found else float("nan")


def parts_lines() -> list[Line]:
    """One to three of a stock of 100 lines, each time another part that only three can make."""
    rng = np.random.default_rng(7)
    values = np.sort(rng.uniform(1e-6, 50e-6, STOCK_LINES))
    stock = [Stocked(float(v), 450.0) for v in values]
    # windows so narrow that one or two hardly ever fall inside
    wanted = [Wanted(float(v), 1e-6, 1e-6, 400.0) for v in rng.uniform(40e-6, 120e-6, 200)]
    found = [choose_capacitor(w, stock) for w in wanted[:40]]
    assert sum(f is not None and f.parts == 3 for f in found) >= 35
    three = median_ms(lambda n: choose_capacitor(wanted[n % len(wanted)], stock))
    resistors = [Stocked(float(v * 1e9), 2.0) for v in values]
    needs = [Wanted(w.value * 1e9, 1e-6, 1e-6, 1.0) for w in wanted]
    mixed = median_ms(lambda n: choose_resistor(needs[n % len(needs)], resistors))
    return [
        Line("three capacitors chosen from 100 lines of stock", three, 50.0, "ms"),
        Line("three resistors, in series or in parallel, from 100", mixed, 50.0, "ms"),
    ]


def network_lines() -> list[Line]:
    """A setting and a reading over SCPI on loopback, as the application makes them."""
    facts = receiver_facts(read_sheet(tidewater_sheet()))
    servers = serve(instruments(SimulatedRoom(SimulatedReceiver(facts, neglected(facts, 1)))), 0)
    supply = VisaLine("127.0.0.1", servers["supply"].port, shipped_profile("line-supply"))
    trip = median_ms(lambda _: supply.measure("line_volts"), 200)
    supply.close()
    stop(servers)
    return [Line("SCPI round trip on loopback", trip, 5.0, "ms")]


def page_lines() -> list[Line]:
    """The scripts that the first view loads, gzip, and one job as its page reads it."""
    lines = []
    if (WEB / "index.html").exists():
        lines.append(Line("script of the first view, gzip", first_view_kb(), 250.0, "kB"))
    with tempfile.TemporaryDirectory() as folder:
        database = Database(sqlite_url(Path(folder) / "demo.sqlite"))
        database.migrate()
        fill_demo(database)
        workshop = Workshop(database, lambda: START)
        view = median_ms(lambda _: job_page(workshop, 1))
        lines.append(Line("a job as its page reads it", view, 25.0, "ms"))
        database.close()
    return lines


def long_job_lines() -> list[Line]:
    """An entry, the page and a preview of a job of five bands, and how each grows with it."""
    found = long_job_times()
    print(f"{'a job of five bands, 95th percentile':<40}{'kept':>9}{'page':>9}{'preview':>9}")
    for times in found:
        row = f"{times.kept_answer:9.1f}{times.page:9.1f}{times.preview:9.1f} ms"
        print(f"{times.observations:>28} observations{row}")
    least, most = found[0], found[-1]
    more = most.observations / least.observations
    print(
        f"with {more:.0f} times the observations: kept {most.kept_answer / least.kept_answer:.1f}, "
        f"page {most.page / least.page:.1f}, preview {most.preview / least.preview:.1f} times"
    )
    held = min(found, key=lambda t: abs(t.observations - HELD_AT))
    return [
        Line(f"kept answer, {held.observations} observations", held.kept_answer, 60.0, "ms"),
        Line("the job's page there", held.page, 25.0, "ms"),
        Line("a preview there", held.preview, 15.0, "ms"),
        Line("growth of a kept answer, of linear", most.kept_answer / least.kept_answer, more, ""),
        Line("growth of the page", most.page / least.page, FLAT, ""),
        Line("growth of a preview", most.preview / least.preview, FLAT, ""),
    ]


def first_view_kb() -> float:
    """Entry script and everything that the shelf's chunk imports, as the browser fetches it."""
    assets = WEB / "assets"
    page = (WEB / "index.html").read_text("utf-8")
    wanted = [p for p in assets.glob("*.js") if p.name in page or p.name.startswith("ShelfPage")]
    scripts = sorted(assets.glob("*.js"))
    seen: set[Path] = set()
    while wanted:
        path = wanted.pop()
        if path in seen:
            continue
        seen.add(path)
        head = path.read_text("utf-8")
        fetched = (f'from"./{p.name}"' in head or f'import"./{p.name}"' in head for p in scripts)
        wanted += [p for p, now in zip(scripts, fetched, strict=True) if now]
    return sum(len(gzip.compress(p.read_bytes())) for p in seen) / 1e3


def main() -> None:
    """The whole table."""
    for group in (
        receiver_lines,
        fleet_lines,
        tracking_lines,
        tracing_lines,
        supply_lines,
        parts_lines,
        network_lines,
        page_lines,
        long_job_lines,
    ):
        for line in group():
            line.print()


if __name__ == "__main__":
    main()
