"""What an unknown adjuster does, by a nudge: on a weak station slightly off tune it is turned a
little, a noted amount, and put back. A station that moves on the dial is the oscillator's; one that
only gets stronger or weaker is RF, aerial or IF; one that does neither is another band's, or dead.
"""

from __future__ import annotations

from glowdial.core.journey.dial_marks import dial_leads
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Status, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import TURNS, Quantity, turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.tracking.mechanics import MECHANICS
from glowdial.core.stages.tracking.stage import STAGE

UNKNOWN, NUDGE = "osc.unknown", "nudge"
MOVED = Quantity("shift", "Hz", "kHz", -2e6, 2e6, "-3", "must be a shift of the station in kHz")
STRONGER, WEAKER, SAME = "stronger", "weaker", "same"
HERE, EVERYWHERE, NOT_TRIED = "this band only", "every band", "not tried"
# more than this is no nudge; a station that moved by less did not move
MOST_NUDGE, LEAST_MOVED_HZ = 0.25, 300.0
MOST_NUDGES = 40


def nudge_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """Nudges of adjusters that the sheet does not name; nobody has to make any."""
    if not record.of_step(MECHANICS):
        return []
    made = [a for a in record.of_step(UNKNOWN) if a.ask.startswith(NUDGE)]
    return [
        Step(
            UNKNOWN,
            STAGE,
            "Find out what an unknown adjuster does (where there is one)",
            "A nudge of a noted amount, put back, tells what it belongs to and spoils nothing.",
            status=Status.DONE,
            leads=dial_leads(facts),
            powered=True,
            others=(_ask(len(made) + 1),) if len(made) < MOST_NUDGES else (),
            advice=tuple(verdict(a) for a in made),
        )
    ]


def _ask(number: int) -> Ask:
    return Ask(
        f"{NUDGE}{number}",
        "A weak station, tuned slightly beside it. Nudge the adjuster by a noted amount, at most "
        "1/4 turn: by how much did the station move on the dial (kHz, 0 for not at all), how "
        "strong is it now, on which bands? Then put it back.",
        (
            Field("turns", "nudged by", TURNS),
            Field("moved", "station moved by, kHz", MOVED),
            Field("strength", "strength", options=(SAME, STRONGER, WEAKER)),
            Field("bands", "does so on", options=(NOT_TRIED, HERE, EVERYWHERE)),
            Field("what", "which adjuster"),
        ),
        "+1/8 -4 same not tried screw by V1",
        called="a nudge",
        series=True,
    )


def check_nudge(ask: Ask, turned: float) -> None:
    """Raises BadInput for more than a nudge, or none."""
    if ask.key.startswith(NUDGE) and not 0.0 < abs(turned) <= MOST_NUDGE:
        raise BadInput(
            "nudged by", f"{turned:g} turns", "must be a nudge, up to 1/4 turn either way", "+1/8"
        )


def verdict(answer: Answer) -> str:
    """What a nudge tells."""
    turned, moved = answer.values["turns"], answer.values["moved"]
    strength, bands = answer.texts["strength"], answer.texts["bands"]
    name = answer.texts["what"]
    begin = f"{name} ({turns(turned)})"
    if abs(moved) >= LEAST_MOVED_HZ:
        rate = moved / turned / 1e3
        shared = ", and shared by the bands" if bands == EVERYWHERE else ""
        return f"{begin}: the oscillator's{shared}, about {rate:+.0f} kHz a turn here."
    if strength != SAME:
        if bands == EVERYWHERE:
            return f"{begin}: the IF's, since every band feels it. It is not a band's adjuster."
        if bands == HERE:
            return f"{begin}: RF or aerial of this band: only the strength changed, and only here."
        return f"{begin}: RF, aerial or IF: try it on another band, where the IF shows as well."
    return (
        f"{begin}: nothing: another band's, or stripped, open or sealed. Put back, turned no "
        "further."
    )
