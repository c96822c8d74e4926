"""Anything at all, in any order: no write breaks a job, and every refusal is a sentence."""

from __future__ import annotations

import random
from typing import Any

import pytest

from api.conftest import Caller, open_job

LINES = ("230 221", "57 0", "150k", "done", "-2.4", "465", "850 uV", "1 2 3", "x", "", "align", "l")
TEXTS = ("", " ", "jumper", "x" * 5000, "V2 grid <b>to</b> chassis", "ünï 日本")


def one_action(caller: Caller, job: int, dice: random.Random) -> Any:
    """One write of any kind with anything in it."""
    state = caller.job(job)
    step = dice.choice(state["steps"])["key"] if dice.random() < 0.4 else state["next_step"]
    shown = caller.job(job, step)["step"]
    ask = shown["ask"]["key"] if shown["ask"] else "nothing"
    text, line = dice.choice(TEXTS), dice.choice(LINES)
    if shown["ask"] and dice.random() < 0.5:
        line = shown["ask"]["example"]
    kind = dice.randrange(10)
    if kind < 3:
        return caller.into(job, "answers", step=step, ask=ask, line=line, confirmed=True)
    if kind in (3, 9):
        danger = shown["cautions"][0]["danger"] if shown["cautions"] else "fire"
        return caller.into(job, "acknowledgements", step=step, danger=danger)
    if kind == 4:
        return caller.into(job, "closures", step=step, reason=text, decided_by="bench")
    if kind == 5:
        what = dice.choice(("supply", "if", "cabinet", "weather"))
        return caller.into(job, "changes", what=what, note=text)
    if kind == 6:
        place = {"what": text, "place": text, "wanted_under_power": dice.random() < 0.7}
        return caller.into(job, "temporary-connections", **place)
    if kind == 7:
        adjuster = dice.choice(state["adjusters"])["key"]
        return caller.into(job, "moves", adjuster=adjuster, turns=line, step=step)
    return caller.into(job, "withdrawals", seq=dice.randrange(1, state["version"] + 3))


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_monkey_at_the_bench_breaks_nothing(caller: Caller, seed: int) -> None:
    job = open_job(caller)
    dice = random.Random(seed)
    kept = 0
    for _ in range(70):
        before = caller.job(job)["version"]
        answer = one_action(caller, job, dice)
        after = caller.job(job)
        assert answer.status_code in (201, 404, 409, 422), answer.text
        if answer.status_code == 201:
            kept += 1
            assert after["version"] >= before
        else:
            assert after["version"] == before and answer.json()["detail"]
        assert after["next_step"] in {s["key"] for s in after["steps"]}
        assert len({s["key"] for s in after["steps"]}) == len(after["steps"])
    assert kept >= 7  # it was not simply refused all the time
    report = caller.http.get(f"/api/jobs/{job}/report")
    assert report.status_code == 200
    assert caller.http.get(f"/api/jobs/{job}/document").status_code == 200
    assert caller.http.get(f"/api/jobs/{job}/readings.csv").status_code == 200
