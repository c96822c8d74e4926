"""A volunteer who works a job by the book: does what each step asks and takes its advice.

Uses only what a page can use. It fills the demo, and shows in tests that the advice is enough.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from glowdial.core.journey.steps import Ask, Status, Step
from glowdial.core.language.errors import Conflict, Doubted
from glowdial.core.plan.gates import missing_cautions
from glowdial.core.stages.cold.steps import TUBES, WINDINGS
from glowdial.core.stages.dial.stage import STAGE as DIAL
from glowdial.core.stages.faults.case import MEND
from glowdial.core.stages.parts.order import School
from glowdial.core.stages.parts.state import CLASS, REASON
from glowdial.core.stages.parts.state import SCHOOL as PARTS_SCHOOL
from glowdial.core.stages.tracking.stage import STAGE as TRACKING
from glowdial.workshop.base.jobs import JobPage, job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.bench_work import measure
from glowdial.workshop.entries import AnswerCommand, acknowledge, close_step, record_answer

MOST_ENTRIES = 400
# what is entered: a line, or named fields
Entered = tuple[str | None, tuple[tuple[str, str], ...]]
STORY = {
    "complaint": "Faint on every station since it came down from the loft; the dial is out.",
    "belief": "A tube is weak.",
    "guess": "Somebody has turned the cores.",
    "condition": "Case sound, back cover missing, one knob replaced, mains lead renewed.",
    "belief_block": "audio",
    "guess_block": "IF",
}


@dataclass(slots=True)
class Volunteer:
    """Works one job at its simulated bench; ``source`` may replace the bench by other readings.
    With ``keeps_parts`` nothing is renewed."""

    workshop: Workshop
    job_id: int
    source: Callable[[Step], str] | None = None
    parts_school: School = School.DANGEROUS
    keeps_parts: bool = False

    def work(self, until: Callable[[Step], bool] = lambda _: False) -> JobPage:
        """Go on until the journey ends or ``until`` says so of the next step."""
        for _ in range(MOST_ENTRIES):
            view = job_page(self.workshop, self.job_id)
            if not view.journey.next_key:
                return view
            step = view.journey.standing(view.journey.next_key)
            if until(step):
                return view
            try:
                self._do(view, step)
            except Conflict:
                # a new working day began meanwhile: its cautions come first
                if not self._cautions_wait(step):
                    raise
        raise RuntimeError(f"the journey did not end: {step.key}")

    def _cautions_wait(self, step: Step) -> bool:
        view = job_page(self.workshop, self.job_id)
        return bool(missing_cautions(step, view.record, view.working_day))

    def _stamp(self, view: JobPage, what: str) -> Stamp:
        return Stamp(f"volunteer-{self.job_id}-{view.version}-{what}", view.version)

    def _do(self, view: JobPage, step: Step) -> None:
        missing = missing_cautions(step, view.record, view.working_day)
        if missing:
            acknowledge(self.workshop, self.job_id, self._stamp(view, "seen"), step.key, missing[0])
            return
        if step.status is Status.TROUBLE:
            close_step(
                self.workshop,
                self.job_id,
                self._stamp(view, "closed"),
                step.key,
                "good enough for the open day",
                "volunteer at the bench",
            )
            return
        if step.status is Status.BLOCKED or step.ask is None:
            raise RuntimeError(f"{step.key}: {step.status} {step.blocked_by}")
        # who looks on both sides for the stronger of two answers may say so at once
        looked = step.ask.foretold is not None and step.ask.foretold.twin_hz != 0.0
        try:
            self._enter(step, self._entry(view, step), confirmed=looked)
        except Doubted:
            if step.ask.recipe is None or self.source is not None:
                raise
            # who is asked looks once more, and keeps what stands there
            again = self._entry(job_page(self.workshop, self.job_id), step)
            self._enter(step, again, confirmed=True)

    def _enter(self, step: Step, entry: Entered, *, confirmed: bool) -> None:
        assert step.ask is not None
        fresh = job_page(self.workshop, self.job_id)
        line, fields = entry
        record_answer(
            self.workshop,
            self.job_id,
            self._stamp(fresh, f"entered{'-again' if confirmed else ''}"),
            AnswerCommand(step.key, step.ask.name, line, fields, confirmed=confirmed),
        )

    def _entry(self, view: JobPage, step: Step) -> Entered:
        ask = step.ask
        assert ask is not None
        if ask.recipe is not None:
            if self.source is not None:
                return self.source(step), ()
            done = measure(self.workshop, self.job_id, self._stamp(view, "measured"), step.key)
            return str(done["line"]), ()
        if ask.key == "story":
            return None, tuple(STORY.items())
        if ask.key == "decision" and ask.fields[0].name == "decision":
            return None, (("decision", "align" if step.cost else "leave it"),)
        if ask.confirm:
            return "done", ()
        if step.stage in (TRACKING, DIAL) and any(f.quantity and f.required for f in ask.fields):
            # what no bench here reads: as the sheet expects it
            return ask.example, ()
        return None, tuple(self._said(view, step, ask))

    def _said(self, view: JobPage, step: Step, ask: Ask) -> Iterator[tuple[str, str]]:
        """What is typed where nothing is measured: the plain answer to every field."""
        if step.key == WINDINGS:
            yield from (("temperature", "21"), ("leads", "0.2"))
            return
        for field in ask.fields:
            if field.name == "chassis":
                yield field.name, view.facts.chassis
            elif step.key == TUBES and field.options:
                yield field.name, "good"
            elif ask.fields[0].name == "decision" and field.name == "decision":
                stays = self.keeps_parts or ask.key.startswith("R")
                yield field.name, "keep" if stays else "fit"
            elif field.name == CLASS and self.keeps_parts:
                yield field.name, "X2"
            elif field.name == REASON and self.keeps_parts:
                yield field.name, "renewed last year"
            elif step.key == PARTS_SCHOOL:
                yield field.name, self.parts_school.value
            elif field.options and field.required:
                yield field.name, field.options[0]
            elif step.key.startswith(f"{MEND}."):
                yield field.name, "cleaned, renewed, put right"


def before_stage(stage: str) -> Callable[[Step], bool]:
    """Stop when the next step belongs to a stage."""
    return lambda step: step.stage == stage
