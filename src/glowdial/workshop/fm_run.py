"""The list of measurements of an FM receiver run at the bench: point by point, each kept as soon as
it is read, so that a broken link or a pause loses nothing and the rest can be taken up again."""

from __future__ import annotations

import threading
import time
import uuid
from dataclasses import dataclass

from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.language.errors import BadInput, Conflict, GlowDialError, LinkTrouble
from glowdial.core.stages.proof.fm import fm_waiting
from glowdial.core.stages.proof.fm_points import fm_list
from glowdial.workshop.base.jobs import HAND, NETWORK, JobPage, job_page
from glowdial.workshop.base.runs import Run
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.bench_work import measure
from glowdial.workshop.entries import AnswerCommand, record_answer

PHASES = (FOUND, LEFT)
# three instruments, each of which may find its line cut
TRIES, BETWEEN_TRIES_S = 4, 0.5


@dataclass(frozen=True, slots=True)
class RunView:
    """How a run stands: how many points are kept of how many, what is read now, what stopped it;
    and the position that the set's own switch must be turned to by hand before it goes on, "" for
    none."""

    phase: str
    running: bool
    done: int
    total: int
    now: str
    trouble: str
    set_first: str


def run_view(workshop: Workshop, job_id: int, phase: str) -> RunView:
    """A phase's points, and the run that is taking them if there is one."""
    _check_phase(phase)
    # whether it runs is looked at first: what it enters last is then counted, or it still runs
    run = workshop.runs.of(job_id)
    running = run is not None and run.running
    page = job_page(workshop, job_id)
    listed, waiting = fm_list(page.record), fm_waiting(page.situation, phase)
    total = sum(len(m.points) for m in listed.measurements) if listed else 0
    done = total - len(waiting)
    set_first = waiting[0].position if waiting and _by_hand(page) else ""
    if run is None or run.phase != phase:
        return RunView(phase, False, done, total, "", "", set_first)
    return RunView(phase, running, done, total, run.now, run.trouble, set_first)


def _by_hand(page: JobPage) -> bool:
    """Whether somebody has to turn the set's own switches: a simulated set turns them itself."""
    return page.link == NETWORK


def start_run(workshop: Workshop, job_id: int, phase: str) -> RunView:
    """Take what is left of a phase at the bench, in the background.

    Raises Conflict for a job by hand, without a list, and while a run is going on.
    """
    _check_phase(phase)
    page = job_page(workshop, job_id)
    if page.closed_at is not None:
        raise Conflict("This job is closed.")
    if page.link == HAND:
        raise Conflict("This job is worked by hand: no bench can run the list; type its points.")
    if fm_list(page.record) is None:
        raise Conflict("Take the list of measurements first.")
    waiting = fm_waiting(page.situation, phase)
    if not waiting:
        raise Conflict(
            f"Nothing is left to be read as {phase}: it is complete, or adjusters were turned "
            "before it (as found), or not yet (as left)."
        )
    # who starts it has turned the switch to where the page says
    run = workshop.runs.begin(job_id, phase, waiting[0].position)
    if run is None:
        raise Conflict("The list is being run already: pause it first.")
    threading.Thread(target=_go, args=(workshop, job_id, run), daemon=True).start()
    return run_view(workshop, job_id, phase)


def pause_run(workshop: Workshop, job_id: int, phase: str) -> RunView:
    """Stop after the present point; what was read is kept."""
    _check_phase(phase)
    workshop.runs.pause(job_id)
    return run_view(workshop, job_id, phase)


def _check_phase(phase: str) -> None:
    if phase not in PHASES:
        raise BadInput("phase", phase, f"must be {' or '.join(PHASES)}", FOUND)


def _go(workshop: Workshop, job_id: int, run: Run) -> None:
    halts = workshop.halts.count(job_id)
    try:
        while not run.pausing:
            if workshop.halts.count(job_id) != halts:
                raise Conflict("Stopped: an alarm was raised.")
            if not _tried_again(workshop, job_id, run):
                break
    except GlowDialError as error:
        run.trouble = str(error)
    except Exception as error:
        # whatever went wrong must not leave a run that seems to go on
        run.trouble = f"Stopped: {error}"
    finally:
        run.now, run.running = "", False


def _tried_again(workshop: Workshop, job_id: int, run: Run) -> bool:
    """The next point, tried again where a line is not there: each instrument's line finds out by
    itself that it was cut, and opens anew the next time."""
    for left in reversed(range(TRIES)):
        try:
            return _one_point(workshop, job_id, run)
        except LinkTrouble:
            if not left or run.pausing:
                raise
            time.sleep(BETWEEN_TRIES_S)
    return False


def _one_point(workshop: Workshop, job_id: int, run: Run) -> bool:
    """The next point read and kept; False when none is left. A point that somebody's own entry
    crossed is taken again."""
    page = job_page(workshop, job_id)
    waiting = fm_waiting(page.situation, run.phase)
    if not waiting:
        return False
    point = waiting[0]
    if _by_hand(page) and point.position not in ("", run.position):
        raise Conflict(f"Turn the set's own switch to {point.position}, then go on with the list.")
    run.now = point.words
    line = str(measure(workshop, job_id, _stamp(page), point.step, point.ask)["line"])
    fresh = job_page(workshop, job_id)
    command = AnswerCommand(point.step, point.ask, line, (), confirmed=True)
    record_answer(workshop, job_id, _stamp(fresh), command)
    return True


def _stamp(page: JobPage) -> Stamp:
    return Stamp(f"run-{uuid.uuid4()}", page.version)
