"""Intake: what is seen decides cautions; registers, the function matrix, and what waits."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts, walked
from glowdial.core.journey.beliefs import weak_evidence
from glowdial.core.journey.function_matrix import (
    MATRIX,
    CellState,
    cell_key,
    matrix_of,
    read_cell,
    summary,
)
from glowdial.core.journey.record import Entered, JobRecord
from glowdial.core.journey.registers import form_of, open_lines, read_line
from glowdial.core.journey.steps import Status
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.plan.gates import missing_cautions
from glowdial.core.plan.journey import journey
from glowdial.core.plan.order import FORMS
from glowdial.core.safety.cautions import Danger, Trait, traits_of
from glowdial.core.stages.intake.steps import as_seen

FACTS = tidewater_facts()
ROW = "bc AM"


def entered(register: str, key: str = "1", *, removed: bool = False, **texts: str) -> Entered:
    values = read_line(form_of(FORMS, register), texts) if register != MATRIX else None
    return Entered(
        int(key), register, key, "", {}, values.texts if values else texts, removed=removed
    )


def label(chassis: str, luminous: str = "no", **values: float) -> JobRecord:
    return a_record(
        an_answer(1, "intake.label", "label", values, chassis=chassis, luminous=luminous)
    )


def test_what_is_seen_adds_cautions_and_never_takes_one_away() -> None:
    sheet = traits_of(FACTS)
    seen = traits_of(as_seen(FACTS, label("transformerless", "yes")))
    assert {Trait.TRANSFORMERLESS, Trait.LUMINOUS} <= seen - sheet
    assert sheet <= traits_of(as_seen(FACTS, label("battery")))
    gate = journey(FACTS, label("transformerless")).step("bring-up.gate")
    assert Danger.TRANSFORMERLESS in gate.dangers
    assert Danger.TRANSFORMERLESS not in journey(FACTS, JobRecord()).step("bring-up.gate").dangers


def test_a_label_that_differs_from_the_sheet_is_said() -> None:
    step = journey(FACTS, label("transformerless", label_v=117.0)).step("intake.label")
    assert "another version, or a conversion" in step.advice[0]
    assert "voltage selector" in step.advice[1]
    assert journey(FACTS, label("mains transformer", label_v=225.0)).step(step.key).advice == ()


def test_belief_and_guess_are_kept_apart_as_weak_evidence() -> None:
    story = an_answer(
        1, "intake.story", "story", complaint="dead", belief_block="audio", guess_block="supply"
    )
    assert weak_evidence(a_record(story)) == (("owner", "audio"), ("first guess", "supply"))
    silent = replace(story, texts={**story.texts, "belief_block": "not said"})
    assert weak_evidence(a_record(silent)) == (("first guess", "supply"),)


def test_a_modification_that_nobody_understands_is_a_caution_at_the_gate() -> None:
    found = entered("modifications", what="capacitor across the aerial", decision="not decided")
    record = a_record(entered=(found,), acknowledgements=())
    gate = journey(FACTS, record).step("bring-up.gate")
    assert Danger.MODIFICATION in missing_cautions(gate, record)
    assert any("capacitor across the aerial" in note for note in gate.notes)
    kept = entered(
        "modifications", what="the same", decision="keep", decided_by="owner, 4 May", whose="found"
    )
    settled = journey(FACTS, a_record(entered=(kept,))).step("bring-up.gate")
    assert Danger.MODIFICATION not in settled.dangers


@pytest.mark.parametrize(
    ("register", "fields", "field"),
    [
        ("modifications", {"what": "x", "decision": "keep"}, "Decided by"),
        (
            "modifications",
            {"what": "x", "reversible": "no", "state": "undone", "decision": "ask"},
            "State",
        ),
        ("modifications", {"what": " "}, "What was changed"),
        ("modifications", {"what": "x", "whose": "nobody"}, "Found, or ours"),
        ("questions", {"answer": "yes"}, "Question"),
        ("parked", {"what": "x", "colour": "red"}, "fields"),
        ("strip-down", {"what": "C9", "before_f": "10 apples"}, "Capacity before"),
        ("strip-down", {"what": "C9", "before_f": "30", "after_f": "31"}, "Preset on return"),
        ("found-parts", {"ref": "C30", "marked": "mauve"}, "capacitor"),
        (
            "found-parts",
            {"ref": "R30", "marked": "mauve red red", "kind": "resistor", "use": "resistor"},
            "colour",
        ),
        (
            "found-parts",
            {"ref": "R30", "marked": "black black red", "kind": "resistor", "use": "resistor"},
            "colours",
        ),
    ],
)
def test_register_lines_that_cannot_be_right(
    register: str, fields: dict[str, str], field: str
) -> None:
    with pytest.raises(BadInput) as refused:
        read_line(form_of(FORMS, register), fields)
    assert refused.value.field.startswith(field) and refused.value.expected


def test_every_registers_own_example_is_a_right_entry() -> None:
    for form in FORMS:
        if not form.fields:
            continue
        first = form.fields[0].name
        fields = {first: form.example}
        if form.register == "found-parts":
            fields["marked"] = "20+20 MFD 450V"
        if form.register == "places":
            fields |= {"x": "40", "y": "60"}
        assert read_line(form, fields).texts[first] == form.example
    with pytest.raises(NotFound):
        form_of(FORMS, "wishes")


def test_an_adjuster_that_came_off_waits_until_it_is_back_at_its_value() -> None:
    off = entered("strip-down", what="aerial trimmer", before_f="32")
    form = form_of(FORMS, "strip-down")
    assert form.waits(off) and "capacity before" not in form.line_details(off)
    strip = an_answer(1, "intake.strip-down", "needed", needed="strip down")
    back = an_answer(2, "intake.strip-down", "back", done="done")
    waiting = journey(FACTS, a_record(strip, back, entered=(off,))).step("intake.strip-down")
    assert waiting.status is Status.OPEN and "aerial trimmer" in waiting.notes[0]
    assert Danger.SOLVENTS in waiting.dangers
    returned = entered(
        "strip-down", what="aerial trimmer", before_f="32", after_f="32.3", state="b"
    )
    done = journey(FACTS, a_record(strip, back, entered=(returned,))).step("intake.strip-down")
    assert done.status is Status.DONE


def test_a_line_is_replaced_by_its_key_and_can_be_taken_out() -> None:
    first = entered("parked", "1", what="browned resistor")
    settled = replace(entered("parked", "2", what="browned resistor", state="settled"), key="1")
    waiting = open_lines(a_record(entered=(first,)), FORMS)
    assert [form.line_title(line) for form, line in waiting] == ["browned resistor"]
    assert open_lines(a_record(entered=(first, settled)), FORMS) == ()
    gone = replace(first, seq=3, removed=True)
    assert a_record(entered=(first, gone)).register("parked") == ()


def test_handover_waits_for_what_was_parked() -> None:
    parked = entered("parked", what="browned resistor")
    record = walked(FACTS, "bring-up.ramp")
    last = journey(FACTS, replace(record, entered=(parked,))).step("handover.report")
    assert any("browned resistor" in line for line in last.blocked_by)


@pytest.mark.parametrize(
    ("text", "state", "figure", "oddity"),
    [
        ("w", CellState.WORKS, "", ""),
        ("Works", CellState.WORKS, "", ""),
        ("p / crackles", CellState.PARTLY, "", "crackles"),
        ("f/", CellState.FAILS, "", ""),
        ("S7", CellState.FIGURE, "S7", ""),
        ("0.5 W / hum", CellState.FIGURE, "0.5 W", "hum"),
        ("/ a relay clicks", CellState.PARTLY, "", "a relay clicks"),
    ],
)
def test_a_cell_is_typed_in_few_letters(
    text: str, state: CellState, figure: str, oddity: str
) -> None:
    cell = read_cell(FACTS, ROW, "plays", text)
    assert cell is not None
    assert (cell.state, cell.figure, cell.oddity) == (state, figure, oddity)


def test_an_empty_cell_is_emptied_and_a_strange_one_refused() -> None:
    assert read_cell(FACTS, ROW, "plays", "  ") is None
    for row, column, text in (
        (ROW, "plays", "quite"),
        ("bc RTTY", "plays", "w"),
        (ROW, "squelch", "w"),
        (ROW, "plays", "w / " + "x" * 300),
    ):
        with pytest.raises(BadInput):
            read_cell(FACTS, row, column, text)


def test_the_matrix_says_what_fails_and_what_is_cleared() -> None:
    def cell(key: int, row: str, column: str, state: str, oddity: str = "") -> Entered:
        texts = {"row": row, "column": column, "state": state, "figure": "", "oddity": oddity}
        return Entered(key, MATRIX, cell_key(row, column), "", {}, texts)

    record = a_record(
        entered=(
            cell(1, "bc AM", "plays", "works"),
            cell(2, "sw AM", "plays", "fails", "a relay clicks"),
            cell(3, "bc AM", "tone", "partly"),
        )
    )
    matrix = matrix_of(FACTS, record)
    assert [r.title for r in matrix.rows] == ["Broadcast, AM", "Short wave, AM"] and matrix.tried
    assert summary(matrix) == (
        "Fails: Short wave, AM.",
        "Works partly: tone on Broadcast, AM.",
        "Works, so its blocks are good: Broadcast, AM.",
        "Odd, and worth following: a relay clicks.",
    )
    assert "tuning" in matrix.columns and "band switch" not in matrix.columns


def test_any_band_may_be_tried_in_any_mode_and_a_calibrator_has_its_row() -> None:
    cell = {"state": "works", "figure": "", "oddity": ""}
    lines = [
        Entered(n, MATRIX, cell_key(row, "plays"), "", {}, {"row": row, "column": "plays", **cell})
        for n, row in enumerate(("calibrator", "bc SSB"), start=1)
    ]
    before, after = (matrix_of(FACTS, a_record(entered=e)) for e in ((), tuple(lines)))
    assert {"calibrator", "gramophone", "bc SSB", "bc CW"} <= {r.key for r in before.more}
    assert {r.key for r in after.rows} - {r.key for r in before.rows} == {"calibrator", "bc SSB"}
    assert not {"calibrator", "bc SSB"} & {r.key for r in after.more}
    for row in ("calibrator", "bc SSB"):
        assert read_cell(FACTS, row, "plays", "w") is not None
