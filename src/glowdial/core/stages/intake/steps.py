"""Intake: what came through the door, before anything is undone and before any power."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.beliefs import BLOCKS, STORY
from glowdial.core.journey.function_matrix import MATRIX, matrix_of, summary
from glowdial.core.journey.readings import Reading, conclude, confirmed, reading
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import ReportPart, Situation
from glowdial.core.journey.steps import Ask, Field, Result, Step, confirm, result
from glowdial.core.language.quantities import AC_VOLTS, significant
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import LABEL_V
from glowdial.core.physics.supply.circuit import (
    RectifierKind,
    Supply,
    Topology,
    silicon_rectifier,
)
from glowdial.core.safety.cautions import Activity, Trait
from glowdial.core.stages.intake.registers import (
    MODIFICATION_FORM,
    MODIFICATIONS,
    PARKED,
    PHOTOS,
    QUESTIONS,
    STRIP_DOWN,
    is_off,
    untraced_modifications,
)

STAGE = "intake"
VISITS_PANEL = "visits"
LABEL = "intake.label"
LOOK = "intake.look"
WORKING_OPTIONS = ("works", "partly", "fails")
CHASSIS_SEEN = {
    "mains transformer": (Trait.MAINS, Trait.FILTERS),
    "transformerless": (Trait.MAINS, Trait.FILTERS, Trait.TRANSFORMERLESS),
    "battery": (Trait.BATTERY,),
    "vibrator": (Trait.BATTERY, Trait.FILTERS),
}
LABEL_TOLERANCE = 0.12
LOOK_FIRST = (
    ("seats", "tubes, boards and plugs in their sockets"),
    ("screws", "screws and earth straps"),
    ("burnt", "burnt, bulging or leaking parts"),
    ("resoldered", "resoldered joints, parts of another date"),
    ("wires", "wires that do not belong"),
    ("rust", "rodents, rust, damp"),
)
CLEANING = (
    "Switches, potentiometers, sockets, gang wipers and bearings are cleaned one at a time; "
    "printed scales and lettering are not rubbed.",
    "An adjuster that comes off is measured, and preset to the same value on return.",
)


def as_seen(facts: ReceiverFacts, record: JobRecord) -> ReceiverFacts:
    """The facts with what was seen on the set itself: it can add a danger, never take one away."""
    answer = record.latest(LABEL, "label")
    traits = set(facts.traits)
    if answer is not None:
        traits |= set(CHASSIS_SEEN[answer.texts["chassis"]])
        if answer.texts["luminous"] == "yes":
            traits.add(Trait.LUMINOUS)
    supply = facts.supply
    found = found_on_set(record)
    if found is not None:
        more, supply = _as_found(facts, found)
        traits |= more
    if untraced_modifications(record) or strange_wires(record) is not None:
        traits.add(Trait.MODIFIED)
    return replace(facts, traits=tuple(sorted(str(t) for t in traits)), supply=supply)


AS_SHEET = "as the sheet"
# what may be found on the set itself, beyond the sheet: its field, its words, and what it means
FOUND_TRAITS: dict[str, tuple[str, dict[str, Trait | None]]] = {
    "topology": ("feeds the rectifier", dict.fromkeys(Topology)),
    "rectifier": ("rectifier", {"tube": None, "selenium": Trait.SELENIUM, "silicon": None}),
    "heaters": ("heaters", {"in parallel": None, "in a string": Trait.SERIES_STRING}),
    "filaments": (
        "filaments",
        {"heated cathodes": None, "directly heated": Trait.BATTERY_FILAMENTS},
    ),
    "transmits": ("transmits", {"yes": Trait.TRANSMIT}),
    "outside": ("high tension on outside terminals", {"yes": Trait.HIGH_TENSION_OUTSIDE}),
    "eye": ("tuning eye or CRT", {"yes": Trait.TUNING_EYE}),
}


def found_ask() -> Ask:
    """What is found on the set itself; asked any time, and kept as found."""
    return Ask(
        "found",
        "What the set itself shows, where it is not as the sheet says.",
        tuple(
            Field(name, label, options=(AS_SHEET, *meanings), required=False)
            for name, (label, meanings) in FOUND_TRAITS.items()
        ),
        "",
        called="found otherwise than on the sheet",
    )


def found_on_set(record: JobRecord) -> Answer | None:
    """What was found on the set beyond its sheet."""
    return record.latest(LABEL, "found")


def _as_found(facts: ReceiverFacts, found: Answer) -> tuple[set[str], Supply | None]:
    """Traits and supply with what was found: it adds dangers, and overrides the sheet's
    rectifier."""
    traits: set[str] = set()
    for name, (_, meanings) in FOUND_TRAITS.items():
        trait = meanings.get(found.texts.get(name) or AS_SHEET)
        traits |= {trait} if trait is not None else set()
    supply = _fed_as_found(facts.supply, found)
    silicon = found.texts.get("rectifier") == "silicon"
    if silicon and supply is not None and supply.rectifier.kind is not RectifierKind.SILICON:
        in_path = 2 if supply.topology is Topology.BRIDGE else 1
        supply = replace(supply, rectifier=silicon_rectifier(in_path))
    return traits, supply


def _fed_as_found(supply: Supply | None, found: Answer) -> Supply | None:
    """The supply with the topology that stands in the set; an input choke only with a full wave."""
    topology = found.texts.get("topology") or AS_SHEET
    if supply is None or topology == AS_SHEET:
        return supply
    wave = Topology(topology)
    choke_h = supply.input_choke_h if wave.full_wave else 0.0
    return replace(supply, topology=wave, input_choke_h=choke_h)


def strange_wires(record: JobRecord) -> Answer | None:
    """The look that found wires that do not belong, if it is the last word on them."""
    looked = record.latest(LOOK, "look")
    return looked if looked is not None and looked.texts["wires"] == "found" else None


def intake_steps(situation: Situation) -> list[Step]:
    """From the owner's words to what came off, in the order in which it is done."""
    facts, record = situation.facts, situation.record
    return [
        _story(record),
        _label(facts, record),
        _photos(record),
        _look(facts, record),
        _controls(facts, record),
        _matrix(facts, record),
        _history(record),
        _strip_down(facts, record),
    ]


def _story(record: JobRecord) -> Step:
    ask = Ask(
        "story",
        "Write down what is known; only the complaint is needed to go on.",
        (
            Field("complaint", "Complaint, in the owner's words", multiline=True),
            Field("belief", "What the owner believes is wrong", required=False),
            Field("belief_block", "... that is, in", options=BLOCKS, required=False),
            Field("guess", "Our first guess", required=False),
            Field("guess_block", "... that is, in", options=BLOCKS, required=False),
            Field("condition", "Condition, what is missing", required=False, multiline=True),
        ),
        "No sound since the winter; the dial lamp lights",
    )
    told = reading(record, STORY, ask)
    step = Step(
        STORY,
        STAGE,
        "Write down the complaint and the condition",
        "Belief and guess are kept apart from what is seen: both are often mistaken.",
        notes=_texts(told),
        panels=(VISITS_PANEL,),
    )
    return conclude(step, (told,))


def _label(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = Ask(
        "label",
        "Read the label, and look under the chassis for a mains transformer.",
        (
            Field("chassis", "Runs from", options=tuple(CHASSIS_SEEN)),
            Field("luminous", "Luminous paint on the dial", options=("no", "yes")),
            Field(
                "label_v",
                "Volts on the label",
                AC_VOLTS,
                required=False,
                nominal=facts.line_v,
                measurand=LABEL_V,
            ),
        ),
        f"m n {facts.line_v or 230.0:.0f}",
    )
    read = reading(record, LABEL, ask)
    step = Step(
        LABEL,
        STAGE,
        "See what it runs from",
        "That decides which cautions are shown from here on. What is seen adds to what the sheet "
        "says; it never takes a caution away.",
        results=_label_results(facts, read),
        notes=_texts(read),
        advice=_label_advice(facts, record),
        before_power=True,
        reopens_gate=tuple(a for a in (read.answer, found_on_set(record)) if a is not None),
        others=(found_ask(),) if read.answer is not None else (),
        cost="the set is for other volts than the sheet" if _wrong_volts(facts, read) else "",
    )
    return conclude(step, (read,), retake=ask)


def _wrong_volts(facts: ReceiverFacts, read: Reading) -> bool:
    volts = read.answer.values.get("label_v") if read.answer else None
    if not volts or not facts.line_v:
        return False
    return abs(volts / facts.line_v - 1.0) > LABEL_TOLERANCE


def _label_results(facts: ReceiverFacts, read: Reading) -> tuple[Result, ...]:
    """The label's volts against the sheet's, where both are known and differ."""
    if read.answer is None or not _wrong_volts(facts, read):
        return ()
    line_v = facts.line_v or 0.0
    window = Window(line_v * (1.0 - LABEL_TOLERANCE), line_v * (1.0 + LABEL_TOLERANCE), line_v)
    volts = read.answer.values["label_v"]
    limits = (f"{significant(window.low or 0.0, 3)} V", f"{significant(window.high or 0.0, 3)} V")
    text = f"{significant(volts, 3)} V"
    return (result(read.answer, "volts on the label", text, volts, window, limits),)


def _label_advice(facts: ReceiverFacts, record: JobRecord) -> tuple[str, ...]:
    answer = record.latest(LABEL, "label")
    if answer is None:
        return ()
    lines: list[str] = []
    seen = answer.texts["chassis"]
    if seen != facts.chassis and not (seen == "vibrator" and facts.chassis == "battery"):
        lines.append(
            f"The sheet says {facts.chassis}, the set says {seen}: another version, or a "
            "conversion. Trace the supply before power; the cautions of both are shown."
        )
    volts = answer.values.get("label_v")
    if volts and facts.line_v and abs(volts / facts.line_v - 1.0) > LABEL_TOLERANCE:
        lines.append(
            f"The label says {significant(volts, 3)} V and the sheet {facts.line_v:.0f} V: find "
            "the voltage selector and set it, then enter the volts that it stands for; or close "
            "this with the reason."
        )
    return tuple(lines)


def _photos(record: JobRecord) -> Step:
    kept = len(record.register(PHOTOS))
    step = Step(
        "intake.photos",
        STAGE,
        "Photograph it as it came",
        "Nothing is undone before it is understood and photographed.",
        panels=(PHOTOS,),
    )
    word = "No photo is needed." if not kept else f"{kept} kept."
    return confirmed(step, record, "ready", f"All that matters is photographed. {word}")


def _look(facts: ReceiverFacts, record: JobRecord) -> Step:
    device = facts.device_word if facts.device_word != "stage" else "tube"
    looks = tuple((key, words.replace("tubes", f"{device}s")) for key, words in LOOK_FIRST)
    ask = Ask(
        "look",
        "Look at each before measuring anything: clear, or found something.",
        tuple(Field(key, words, options=("clear", "found")) for key, words in looks),
        " ".join("c" for _ in LOOK_FIRST),
    )
    looked = reading(record, LOOK, ask)
    answer = looked.answer
    found = [w for k, w in looks if answer and answer.texts[k] == "found"]
    wires = strange_wires(record)
    step = Step(
        LOOK,
        STAGE,
        "Look before measuring",
        "It costs a minute and leads the list of suspects. Reseat boards and "
        f"{device}s, power off.",
        advice=(f"Found: {'; '.join(found)}. Photograph it, and park what can wait.",)
        if found
        else (),
        notes=() if found or answer is None else ("Nothing odd to be seen.",),
        panels=(PARKED,),
        does=(Activity.OPENING, Activity.RESEATING),
        reopens_gate=(wires,) if wires is not None else (),
    )
    return conclude(step, (looked,))


def _controls(facts: ReceiverFacts, record: JobRecord) -> Step:
    names = facts.controls or ("volume", "tuning")
    ask = Ask(
        "controls",
        "Move each control by hand, power off: works, partly or fails.",
        tuple(Field(f"control{n}", name, options=WORKING_OPTIONS) for n, name in enumerate(names)),
        " ".join("w" for _ in names),
    )
    moved = reading(record, "intake.controls", ask)
    step = Step(
        "intake.controls",
        STAGE,
        "Try every control by hand",
        "A control that sticks or slips now would be blamed on an adjuster later.",
        does=(Activity.OPENING,),
        notes=_texts(moved),
    )
    return conclude(step, (moved,))


def _matrix(facts: ReceiverFacts, record: JobRecord) -> Step:
    matrix = matrix_of(facts, record)
    ask = Ask(
        "matrix",
        "Is the matrix filled? It may be by the owner's account, or left for after the bring-up.",
        (Field("filled", "Filled", options=("filled", "later")),),
        "later",
    )
    filled = reading(record, "intake.matrix", ask)
    answer = filled.answer
    left = answer is not None and answer.texts["filled"] == "later" and not matrix.tried
    step = Step(
        "intake.matrix",
        STAGE,
        "What works, and where: bands and modes by controls",
        "What works clears the blocks that it runs through; odd side effects often point straight "
        "at the fault.",
        panels=(MATRIX,),
        advice=summary(matrix),
        notes=("Left for later: fill it once the set plays, from any step.",) if left else (),
    )
    return conclude(step, (filled,))


def _history(record: JobRecord) -> Step:
    untraced = untraced_modifications(record)
    lines = [f"Undecided: {m.texts['what']}. Trace it before power." for m in untraced]
    step = Step(
        "intake.history",
        STAGE,
        "What was changed before, and what to ask the owner",
        "A modification is traced, and kept or undone by decision: back to original, or reversible "
        "improvements allowed, as the owner likes it.",
        panels=(MODIFICATIONS, QUESTIONS),
        advice=tuple(lines),
        reopens_gate=untraced,
    )
    prompt = "What was found is listed, with what is to be done about it."
    return confirmed(step, record, "ready", prompt)


def _strip_down(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = Ask(
        "needed",
        "Must the chassis be stripped down or cleaned?",
        (Field("needed", "Strip down", options=("not needed", "strip down")),),
        "not needed",
    )
    needed = reading(record, "intake.strip-down", ask)
    wanted = needed.answer is not None and needed.answer.texts["needed"] == "strip down"
    off = [e for e in record.register(STRIP_DOWN) if is_off(e)]
    step = Step(
        "intake.strip-down",
        STAGE,
        "Strip down and clean, as far as it must be",
        "Values and positions of adjusters and the dress of leads are noted before anything moves.",
        panels=(STRIP_DOWN,),
        does=(Activity.CLEANING,) if wanted else (),
        advice=CLEANING if wanted else (),
        notes=tuple(f"Still off: {e.texts['what']}." for e in off),
    )
    if not wanted:
        return conclude(step, (needed,))
    finish = confirm("back", "Cleaned, and everything that came off is back where it was.")
    return conclude(step, (reading(record, step.key, finish),), also=finish if off else None)


def _texts(told: Reading) -> tuple[str, ...]:
    if told.answer is None:
        return ()
    texts = told.answer.texts
    return tuple(
        f"{f.label}: {texts[f.name]}"
        for f in told.ask.fields
        if texts.get(f.name) and not f.name.endswith("_block")
    )


def intake_report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """How the set came, and what was changed on it before."""
    return ReportPart(
        story=tuple(n for s in steps if s.key in (STORY, LABEL) for n in s.notes),
        modifications=tuple(
            f"{MODIFICATION_FORM.line_title(m)}; {MODIFICATION_FORM.line_details(m)}"
            for m in situation.record.register(MODIFICATIONS)
        ),
    )
