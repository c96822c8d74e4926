"""Where things are on this set's chassis: the sheet's places, and those that somebody put there."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.journey.record import Entered, JobRecord
from glowdial.core.model.chassis import COMMON_THINGS, Layout, Placed, Reach, Side, Thing
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.stages.intake.registers import PHOTOS, PLACES

# what a chassis is taken for where nobody has measured it, and a thing's size on it
NORM_WIDTH_MM, NORM_DEPTH_MM, NORM_HEIGHT_MM = 400.0, 220.0, 70.0
BARE_CHASSIS = Layout(NORM_WIDTH_MM, NORM_DEPTH_MM, NORM_HEIGHT_MM, ())
SIZES_MM = {
    Thing.TUBE: (32.0, 32.0),
    Thing.CAN: (36.0, 36.0),
    Thing.GANG: (60.0, 80.0),
    Thing.TRIMMER: (12.0, 12.0),
    Thing.CORE: (10.0, 10.0),
    Thing.TRANSFORMER: (80.0, 70.0),
    Thing.LOUDSPEAKER: (120.0, 50.0),
    Thing.OTHER: (30.0, 30.0),
}


def placeable(facts: ReceiverFacts) -> tuple[tuple[str, str, Thing], ...]:
    """What can be placed: key, name, and what it is drawn as."""
    adjusters = [
        (a.key, a.name, Thing.CORE if a.kind is AdjusterKind.CORE else Thing.TRIMMER)
        for a in facts.adjusters
    ]
    return (
        *adjusters,
        *((t.position, f"{t.position} {t.function}", Thing.TUBE) for t in facts.tubes),
        *((c.key, c.name, Thing.CAN) for c in facts.transformers),
        *((key, name, thing) for key, (name, thing) in COMMON_THINGS.items()),
    )


def as_placed(facts: ReceiverFacts, record: JobRecord) -> ReceiverFacts:
    """The facts with what was placed in this job; it stands before what the sheet says."""
    lines = record.register(PLACES)
    if not lines:
        return facts
    known = {key: (name, thing) for key, name, thing in placeable(facts)}
    photos = {p.texts["title"]: int(p.texts["photo_id"]) for p in record.register(PHOTOS)}
    read = [_placed(line, known, photos) for line in lines]
    # the pins of a photo that was taken out are gone with it
    own = tuple(p for p in read if p.side is not Side.PHOTO or p.photo_id)
    sheet = facts.layout or BARE_CHASSIS
    on_chassis = [p for p in own if not p.photo_id]
    keys = {p.key for p in on_chassis}
    kept = tuple(p for p in sheet.placed if p.key not in keys)
    deep = [p.y_mm for p in on_chassis if p.side is not Side.REAR]
    layout = replace(
        sheet,
        width_mm=max([sheet.width_mm, *(p.x_mm for p in on_chassis)]),
        depth_mm=max([sheet.depth_mm, *deep]),
        placed=(*kept, *own),
    )
    return replace(facts, layout=layout)


def _placed(line: Entered, known: dict[str, tuple[str, Thing]], photos: dict[str, int]) -> Placed:
    what = line.texts["what"]
    name, thing = known.get(what, (what, Thing.OTHER))
    reach = line.texts["reach"]
    width_mm, depth_mm = SIZES_MM[thing]
    return Placed(
        what,
        name,
        thing,
        Side(line.texts["side"]),
        line.values["x"],
        line.values["y"],
        width_mm,
        depth_mm,
        Reach(reach) if reach in (Reach.NEAR, Reach.FAR) else Reach.ONLY,
        line.texts["sealed"] == "yes",
        photos.get(line.texts["photo"], 0),
    )


@dataclass(frozen=True, slots=True)
class Placeable:
    """A thing that may be placed, with its place where it has one: the key of its line, "" where
    the sheet places it."""

    what: str
    name: str
    thing: Thing
    place: Placed | None
    line: str

    @property
    def size_mm(self) -> tuple[float, float]:
        """Its width and depth, the usual ones where it has no place yet."""
        if self.place is None:
            return SIZES_MM[self.thing]
        return self.place.width_mm, self.place.depth_mm


def things_of(facts: ReceiverFacts, record: JobRecord) -> tuple[Placeable, ...]:
    """Everything that can be placed, an entry for each place that it has."""
    lines = {
        (e.texts["what"], e.texts["side"] == Side.PHOTO): e.key for e in record.register(PLACES)
    }
    placed = facts.layout.placed if facts.layout else ()
    listed = placeable(facts)
    keys = {what for what, _, _ in listed}
    others = {p.key: (p.key, p.name, p.thing) for p in placed if p.key not in keys}
    found: list[Placeable] = []
    for what, name, thing in (*listed, *others.values()):
        places = [p for p in placed if p.key == what]
        found += [
            Placeable(what, name, thing, p, lines.get((what, p.side is Side.PHOTO), ""))
            for p in places
        ] or [Placeable(what, name, thing, None, "")]
    return tuple(found)
