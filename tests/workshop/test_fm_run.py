"""The list of measurements run at the bench: kept point by point, paused, cut off, taken up."""

from __future__ import annotations

import itertools
import json
import os
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import pytest

from builders import a_record, aligned, an_answer
from glowdial.core.journey.record import Answer, JobRecord, Move, question_name
from glowdial.core.journey.room import Situation
from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.journey.steps import Status, Step, looked_at
from glowdial.core.language.errors import BadInput, Conflict
from glowdial.core.language.quantities import bare_scale
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.proof.fm import fm_steps
from glowdial.core.stages.proof.fm_points import (
    FILE,
    LIST_ASK,
    LIST_FIELD,
    LIST_STEP,
    OF_SETTING,
    POINT,
    X,
    fm_list,
    points_csv,
    taken,
    told_key,
    typed_of,
)
from glowdial.demo.fill import STEREO, DemoClock, demo_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sheets.measurement_list import shipped_list, shipped_list_text
from glowdial.sim.condition import neglected
from glowdial.sim.instruments import instruments
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.servers import InstrumentServer, serve, stop
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.alarms import settle_alarm, something_is_wrong, switched_off
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import facts_of, import_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.entries import AnswerCommand, record_answer
from glowdial.workshop.fm_run import RunView, pause_run, run_view, start_run
from glowdial.workshop.instruments import RegisterCommand, register, stop_every_output

# away from what the browser tests serve
PORTS = 15700 + 20 * int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
TOTAL = sum(len(m.points) for m in shipped_list().measurements)
# what a set by hand or on the network reads where its sensitivity is asked for
STEADY = "25 0.92 0.0291"


@pytest.fixture(scope="module")
def facts() -> ReceiverFacts:
    return facts_of(read_sheet(demo_sheet(STEREO)).model_dump(mode="json"))


def opened(folder: Path, command: Callable[[int], OpenCommand]) -> tuple[Workshop, int]:
    database = Database(sqlite_url(folder / "fm.sqlite"))
    database.migrate()
    workshop = Workshop(database, DemoClock())
    sheet = import_sheet(workshop, "sheet", demo_sheet(STEREO))
    return workshop, open_job(workshop, "job", command(sheet))


def stamp(workshop: Workshop, job: int, name: str) -> Stamp:
    version = job_page(workshop, job).version
    return Stamp(f"{name}-{version}", version)


def typed(step: Step) -> str:
    assert step.ask is not None
    return STEADY if step.key.startswith("proof.found") else step.ask.example


def to_the_list(workshop: Workshop, job: int, *, by_typing: bool) -> None:
    """Up to the first touch, and the list taken as it ships."""
    source = typed if by_typing else None
    Volunteer(workshop, job, source).work(lambda step: step.key.startswith("if."))
    take_list(workshop, job, shipped_list_text())


def take_list(workshop: Workshop, job: int, text: str) -> None:
    answer = AnswerCommand(LIST_STEP, LIST_ASK, None, ((LIST_FIELD, text),))
    record_answer(workshop, job, stamp(workshop, job, f"list-{len(text)}"), answer)


def at_positions(*keys: str) -> str:
    """A list of only these measurements, selectivity at two positions of a switch, limiting at two
    of one that does nothing."""
    document = json.loads(shipped_list_text())
    rows = [row for row in document["measurements"] if row["key"] in keys]
    for row in rows:
        positions = {"selectivity": ["wide", "narrow"], "limiting": ["bright", "dull"]}
        if row["key"] in positions:
            row["positions"] = positions[row["key"]]
    return json.dumps({**document, "measurements": rows})


def waited(
    workshop: Workshop, job: int, until: Callable[[RunView], bool], seconds: float = 120.0
) -> RunView:
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        view = run_view(workshop, job, FOUND)
        if until(view):
            return view
        time.sleep(0.05)
    raise AssertionError(f"it did not come to that: {run_view(workshop, job, FOUND)}")


@pytest.fixture(scope="module")
def worked(tmp_path_factory: pytest.TempPathFactory, facts: ReceiverFacts) -> Path:
    """A data file with a simulated tuner at the list, to be copied by every test."""
    folder = tmp_path_factory.mktemp("tuner")
    condition = neglected(facts, 3, severity=0.1)
    workshop, job = opened(folder, lambda s: OpenCommand(s, "Loft tuner", "1", condition))
    to_the_list(workshop, job, by_typing=False)
    workshop.database.engine.dispose()
    return folder / "fm.sqlite"


@pytest.fixture
def simulated(worked: Path, tmp_path: Path) -> Iterator[tuple[Workshop, int]]:
    shutil.copyfile(worked, tmp_path / "fm.sqlite")
    workshop = Workshop(Database(sqlite_url(tmp_path / "fm.sqlite")), DemoClock())
    yield workshop, 1
    workshop.lines.close()


def test_a_run_is_paused_and_taken_up_and_nothing_is_read_twice(
    simulated: tuple[Workshop, int],
) -> None:
    workshop, job = simulated
    before = len(job_page(workshop, job).record.answers)
    start_run(workshop, job, FOUND)
    with pytest.raises(Conflict, match="being run already"):
        start_run(workshop, job, FOUND)
    waited(workshop, job, lambda view: view.done >= 5)
    pause_run(workshop, job, FOUND)
    half = waited(workshop, job, lambda view: not view.running)
    assert 5 <= half.done < TOTAL == half.total and half.trouble == ""
    start_run(workshop, job, FOUND)
    whole = waited(workshop, job, lambda view: not view.running)
    assert whole.done == TOTAL and whole.trouble == ""
    assert len(job_page(workshop, job).record.answers) - before == TOTAL
    told = job_page(workshop, job).journey.step(told_key(FOUND))
    assert told.advice and not any("Cannot be told" in words for words in told.advice)
    with pytest.raises(Conflict, match="Nothing is left"):
        start_run(workshop, job, FOUND)
    # nothing was turned yet: there is no after
    assert run_view(workshop, job, LEFT).done == 0


def test_what_was_read_goes_out_as_csv_and_comes_in_again_the_same(
    simulated: tuple[Workshop, int], tmp_path: Path, facts: ReceiverFacts
) -> None:
    workshop, job = simulated
    start_run(workshop, job, FOUND)
    waited(workshop, job, lambda view: view.done >= 30)
    pause_run(workshop, job, FOUND)
    waited(workshop, job, lambda view: not view.running)
    record = job_page(workshop, job).record
    listed = fm_list(record)
    assert listed is not None
    read = taken(record, listed, FOUND).values
    for measured in listed.measurements:
        rows = read[measured.key]
        if len(rows) < len(measured.points):
            continue
        key = f"{told_key(FOUND)}.{measured.key}"
        fields = ((FILE, points_csv(measured, rows)),)
        entered = AnswerCommand(key, FILE, None, fields)
        record_answer(workshop, job, stamp(workshop, job, f"csv-{measured.key}"), entered)
        again = taken(job_page(workshop, job).record, listed, FOUND).values[measured.key]
        assert list(again) == list(rows)
        for x, row in rows.items():
            assert again[x] == pytest.approx(row, rel=1e-5)


def test_what_a_switch_claims_to_change_is_run_at_each_of_its_positions(
    simulated: tuple[Workshop, int],
) -> None:
    workshop, job = simulated
    take_list(workshop, job, at_positions("selectivity", "limiting", "separation-level"))
    start_run(workshop, job, FOUND)
    whole = waited(workshop, job, lambda view: not view.running)
    assert whole.done == whole.total > 20 and whole.trouble == ""
    page = job_page(workshop, job)
    steps = {s.key.removeprefix(f"{told_key(FOUND)}."): looked_at(s) for s in page.journey.steps}
    narrow, same = steps["selectivity-at-2"], steps["limiting-at-2"]
    assert any(w.startswith("Against wide: +") for w in narrow.advice)
    assert any("changes nothing that is measured" in w for w in same.advice)
    assert any("switches to stereo" in w for w in steps["separation-level"].advice)
    # the first position is what the causes are told from
    told = page.journey.step(told_key(FOUND)).advice
    assert not any("selectivity" in w for w in told if w.startswith("Cannot be told"))
    # one position after the other: a switch is not turned to and fro
    order = [a.step.rpartition(".")[2] for a in page.record.answers if "-at-" in a.step]
    assert [key for key, _ in itertools.groupby(order)] == [
        "limiting-at-1",
        "limiting-at-2",
        "selectivity-at-1",
        "selectivity-at-2",
    ]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("level, a, b", "0 lines"),
        ("level, a, b\n10, 0.5", "line 2"),
        ("10, 0.5, 0.1\n20, x, 0.1", "line 2"),
        ("10 MHz, 0.5, 0.1", "line 1"),
        ("10, -0.5, 0.1", "never negative"),
    ],
)
def test_a_broken_file_is_refused_with_its_line(
    simulated: tuple[Workshop, int], text: str, words: str
) -> None:
    workshop, job = simulated
    entered = AnswerCommand(f"{told_key(FOUND)}.quieting", FILE, None, ((FILE, text),))
    with pytest.raises(BadInput, match=words):
        record_answer(workshop, job, stamp(workshop, job, "bad"), entered)


def test_a_list_that_is_none_is_refused_and_the_job_keeps_the_one_it_has(
    simulated: tuple[Workshop, int],
) -> None:
    workshop, job = simulated
    entered = AnswerCommand(LIST_STEP, LIST_ASK, None, ((LIST_FIELD, "[1]"),))
    with pytest.raises(BadInput, match="format"):
        record_answer(workshop, job, stamp(workshop, job, "no-list"), entered)
    assert run_view(workshop, job, FOUND).total == TOTAL


class Plug:
    """The instruments of a room, which may be cut off and joined again."""

    def __init__(self, facts: ReceiverFacts) -> None:
        self._room = SimulatedRoom(aligned(facts))
        self._servers: dict[str, InstrumentServer] = {}

    def put_in(self) -> None:
        self._servers = serve(instruments(self._room), PORTS)

    def pull(self) -> None:
        stop(self._servers)

    def asks(self, name: str, line: str) -> str | None:
        return self._servers[name].respond(line)

    def port(self, name: str) -> int:
        return self._servers[name].port


def test_a_pulled_plug_loses_nothing_and_the_rest_is_taken_up(
    tmp_path: Path, facts: ReceiverFacts
) -> None:
    workshop, job = opened(tmp_path, lambda s: OpenCommand(s, "Loft tuner", network=True))
    to_the_list(workshop, job, by_typing=True)
    # no instrument is registered yet: the first point says so
    start_run(workshop, job, FOUND)
    assert "FM generator" in waited(workshop, job, lambda view: not view.running).trouble
    plug = Plug(facts)
    plug.put_in()
    for kind, name in (
        ("line supply", "supply"),
        ("FM generator", "fm-generator"),
        ("audio analyser", "stereo-analyser"),
    ):
        at = RegisterCommand(f"shelf {kind}", kind, "127.0.0.1", plug.port(name))
        register(workshop, f"key-{kind}", at)
    start_run(workshop, job, FOUND)
    waited(workshop, job, lambda view: view.done >= 8)
    plug.pull()
    workshop.lines.close()
    cut = waited(workshop, job, lambda view: not view.running)
    assert cut.set_first == ""
    assert 8 <= cut.done < TOTAL and cut.trouble
    kept = len(job_page(workshop, job).record.answers)
    plug.put_in()
    start_run(workshop, job, FOUND)
    more = waited(workshop, job, lambda view: view.done >= cut.done + 5 or not view.running)
    pause_run(workshop, job, FOUND)
    waited(workshop, job, lambda view: not view.running)
    assert plug.asks("fm-generator", "OUTP?") == "1"
    assert stop_every_output(workshop) == ()
    assert plug.asks("fm-generator", "OUTP?") == "0"
    assert more.trouble == "" and len(job_page(workshop, job).record.answers) > kept
    # no wire turns the set's own switch: the run waits for a hand, and goes on where it says
    take_list(workshop, job, at_positions("limiting"))
    assert run_view(workshop, job, FOUND).set_first == "bright"
    start_run(workshop, job, FOUND)
    half = waited(workshop, job, lambda view: not view.running)
    assert half.done * 2 == half.total and half.set_first == "dull"
    assert "switch to dull" in half.trouble
    start_run(workshop, job, FOUND)
    whole = waited(workshop, job, lambda view: not view.running)
    assert whole.done == whole.total and whole.trouble == ""
    plug.pull()
    workshop.lines.close()


def test_by_hand_and_for_other_phases_there_is_no_run(tmp_path: Path) -> None:
    workshop, job = opened(tmp_path, lambda s: OpenCommand(s, "Loft tuner"))
    with pytest.raises(Conflict, match="by hand"):
        start_run(workshop, job, FOUND)
    with pytest.raises(BadInput, match="phase"):
        run_view(workshop, job, "now")


def test_an_alarm_stops_a_run_and_none_begins_until_it_is_settled(
    simulated: tuple[Workshop, int],
) -> None:
    workshop, job = simulated
    start_run(workshop, job, FOUND)
    waited(workshop, job, lambda view: view.done >= 3)
    mark = stamp(workshop, job, "alarm")
    something_is_wrong(workshop, job, mark, step=LIST_STEP, sign="smoke", words="a can")
    stopped = waited(workshop, job, lambda view: not view.running)
    assert stopped.trouble and stopped.done < TOTAL
    kept = len(job_page(workshop, job).record.answers)
    with suppress(Conflict):
        start_run(workshop, job, FOUND)
    again = waited(workshop, job, lambda view: not view.running)
    assert again.done == stopped.done
    assert len(job_page(workshop, job).record.answers) == kept
    switched_off(workshop, job, stamp(workshop, job, "off"))
    start_run(workshop, job, FOUND)
    assert waited(workshop, job, lambda view: not view.running).done == stopped.done
    settle_alarm(workshop, job, stamp(workshop, job, "settled"), cause="C12", done="renewed")
    assert job_page(workshop, job).record.alarm is None


def fm_step(facts: ReceiverFacts, record: JobRecord, phase: str, key: str) -> Step:
    steps = fm_steps(Situation(facts, record), phase)
    return next(s for s in steps if s.key == f"{told_key(phase)}.{key}")


def test_a_point_that_is_not_met_is_asked_for_again_and_the_latest_word_of_it_counts(
    facts: ReceiverFacts,
) -> None:
    """The point that is outside, not the first of the list; then a file that holds it."""
    quieting = next(m for m in shipped_list().measurements if m.key == "quieting")
    bad = quieting.points[-1]
    key = f"{told_key(FOUND)}.quieting"
    answers = [an_answer(1, LIST_STEP, LIST_ASK, **{LIST_FIELD: shipped_list_text()})]
    for x in quieting.points:
        values = {"r1": 0.5, "r2": 0.4 if x == bad else 1e-4}
        answers.append(Answer(len(answers) + 1, key, POINT, values, {}, point=((X, x),)))
    left = [replace(a, step=f"{told_key(LEFT)}.quieting") for a in answers[1:]]
    record = a_record(*answers, *[replace(a, seq=a.seq + 100) for a in left])
    step = fm_step(facts, record, LEFT, "quieting")
    assert step.status is Status.TROUBLE and step.ask is not None
    assert step.ask.name == question_name(POINT, ((X, bad),))
    rows = dict.fromkeys(quieting.points, (0.5, 1e-4))
    text = points_csv(quieting, rows)
    filed = an_answer(900, step.key, FILE, **{FILE: text})
    after = fm_step(facts, replace(record, answers=(*record.answers, filed)), LEFT, "quieting")
    assert after.status is Status.DONE
    assert {r.question for r in after.results} == {FILE}


def test_what_was_read_before_a_change_stands_as_stale_until_it_is_read_again(
    facts: ReceiverFacts,
) -> None:
    """A move after half of a curve: its points stand marked, those after it do not; a figure that
    is relative to a stale reference is stale as well."""
    limiting = next(m for m in shipped_list().measurements if m.key == "limiting")
    key = f"{told_key(LEFT)}.limiting"
    taken_list = an_answer(1, LIST_STEP, LIST_ASK, **{LIST_FIELD: shipped_list_text()})
    found = an_answer(2, f"{told_key(FOUND)}.quieting", FILE, **{FILE: "10, 0.5, 0.1"})
    points = [
        Answer(10 + 10 * n, key, POINT, {"r1": 0.5}, {}, point=((X, x),))
        for n, x in enumerate(limiting.points)
    ]
    core = facts.if_adjusters()[0]
    half = len(points) // 2
    moved = Move(points[half].seq - 5, core, 0.25, "x")
    record = replace(a_record(taken_list, found, *points), moves=(moved,))
    step = fm_step(facts, record, LEFT, "limiting")
    at = limiting.points.index(limiting.reference)
    stale = [r.stale for r in step.results]
    assert stale == ([True] * len(points) if at < half else [n < half for n in range(len(points))])
    assert step.status is Status.RECHECK and step.ask is not None
    assert step.ask.name == question_name(POINT, ((X, limiting.points[0]),))
    text = points_csv(limiting, dict.fromkeys(limiting.points, (0.5,)))
    filed = an_answer(900, key, FILE, **{FILE: text})
    after = fm_step(facts, replace(record, answers=(*record.answers, filed)), LEFT, "limiting")
    assert after.status is Status.DONE and not any(r.stale for r in after.results)


@pytest.mark.parametrize("key", [m.key for m in shipped_list().measurements if m.limits])
def test_every_limit_can_be_seen_on_its_curve(key: str, facts: ReceiverFacts) -> None:
    """Also one of a single point: as a stroke through it, within the drawing."""
    measured = next(m for m in shipped_list().measurements if m.key == key)
    row = ", ".join(["0.5"] * len(measured.readings))
    quantity = OF_SETTING[measured.varies]
    lines = [f"{typed_of(measured, x) / bare_scale(quantity):.10g}, {row}" for x in measured.points]
    listed = an_answer(1, LIST_STEP, LIST_ASK, **{LIST_FIELD: shipped_list_text()})
    filed = an_answer(2, f"{told_key(FOUND)}.{key}", FILE, **{FILE: "\n".join(lines)})
    plot = looked_at(fm_step(facts, a_record(listed, filed), FOUND, key)).plot
    assert plot is not None
    curve = next(line for line in plot.lines if line.role == "measured")
    limits = [line for line in plot.lines if line.role in ("low", "high")]
    edges = sum((x.low is not None) + (x.high is not None) for x in measured.limits)
    assert len(limits) == edges
    for line in limits:
        assert line.x[0] < line.x[-1]
        if len(curve.x) > 1:
            assert min(curve.x) <= line.x[0] and line.x[-1] <= max(curve.x), line
        else:
            assert line.x[0] < curve.x[0] < line.x[-1]
