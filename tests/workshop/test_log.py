"""What was entered in a step is told at the step, however long the job has become since."""

from __future__ import annotations

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.plan.journey import journey_of, situation_of
from glowdial.workshop.base.log import LOG_LINES, log_of, said_in


def test_a_finished_step_says_what_was_entered_when_the_log_has_left_it_behind() -> None:
    story = an_answer(1, "intake.story", "story", complaint="hums since the winter")
    later = [
        an_answer(n, f"if.pass1.t{n}", "peak", {"before": -1.0, "after": -2.0, "turns": 0.1})
        for n in range(2, LOG_LINES + 20)
    ]
    record = a_record(story, *later)
    situation = situation_of(tidewater_facts(), record)
    state = journey_of(situation)
    assert not any(line.step == "intake.story" for line in log_of(situation, state))
    said = said_in(record, state.standing("intake.story"))
    assert [line.seq for line in said] == [1]
    assert not said[0].text.startswith(state.standing("intake.story").title)
