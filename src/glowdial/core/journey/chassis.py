"""The chassis as it is drawn beside a step: where the present adjuster is, and what is like it."""

from __future__ import annotations

import math
from dataclasses import replace

from glowdial.core.journey.dial_marks import band_adjusters
from glowdial.core.journey.pictures import ChassisItem, ChassisOrder, ChassisPicture
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Step
from glowdial.core.model.chassis import Placed, Side
from glowdial.core.model.facts import BandFacts, ReceiverFacts

MOST_MISTAKEN = 2
# further off than this nobody puts the tool there instead
MISTAKEN_MM = 90.0


def located(step: Step, facts: ReceiverFacts, record: JobRecord) -> Step:
    """A step that turns an adjuster, with the chassis on which it is found."""
    key = step.adjuster
    if key is None:
        return step
    return replace(step, show_chassis=lambda: chassis_picture(facts, record, key))


def chassis_picture(facts: ReceiverFacts, record: JobRecord, adjuster: str) -> ChassisPicture:
    """The chassis with one adjuster lit, those that were turned ticked, and of the others those
    nearest to it marked as easily mistaken for it."""
    lit = facts.adjuster(adjuster)
    turned = record.turned
    layout = facts.layout
    everything = layout.placed if layout else ()
    places = sorted((p for p in everything if p.what == adjuster), key=lambda p: p.photo_id > 0)
    here = places[0] if places else None
    # a place on the chassis tells more than a pin on a photo
    placed = tuple(p for p in everything if here and p.photo_id == here.photo_id)
    mistaken = _mistaken(placed, here) if here else set()
    return ChassisPicture(
        width_mm=layout.width_mm if layout else 0.0,
        depth_mm=layout.depth_mm if layout else 0.0,
        height_mm=layout.height_mm if layout else 0.0,
        side=here.side.value if here else "",
        tool=lit.tool,
        reach=_reach_words(lit.where, here),
        items=tuple(_item(p, adjuster, turned, mistaken) for p in placed),
        order=tuple(
            ChassisOrder(facts.adjuster(key).name, key == adjuster, key in turned)
            for key in chain_order(facts)
        ),
        photo_id=here.photo_id if here else 0,
    )


def _item(place: Placed, lit: str, turned: frozenset[str], mistaken: set[str]) -> ChassisItem:
    return ChassisItem(
        key=place.key,
        label=place.name,
        thing=place.thing.value,
        side=place.side.value,
        x_mm=place.x_mm,
        y_mm=place.y_mm,
        width_mm=place.width_mm,
        depth_mm=place.depth_mm,
        reach=place.reach.value,
        lit=place.what == lit,
        done=place.what in turned and place.what != lit,
        sealed=place.sealed,
        mistaken=place.what in mistaken,
    )


def _mistaken(placed: tuple[Placed, ...], here: Placed) -> set[str]:
    """The nearest of the same kind that are reached from the same side."""
    like = [
        p for p in placed if p.what != here.what and p.thing is here.thing and p.side is here.side
    ]
    near = [(math.hypot(p.x_mm - here.x_mm, p.y_mm - here.y_mm), p.what) for p in like]
    return {what for far, what in sorted(near)[:MOST_MISTAKEN] if far <= MISTAKEN_MM}


def _reach_words(where: str, here: Placed | None) -> str:
    if here is None:
        return where
    side = {
        Side.TOP: "from above",
        Side.UNDERSIDE: "from below",
        Side.REAR: "from behind",
        Side.PHOTO: "",
    }[here.side]
    depth = f"the {here.reach.value} one of two" if here.reach.value else ""
    sealed = "sealed: leave it" if here.sealed else ""
    words = [where, "" if side in where else side, depth, sealed]
    return ", ".join(w for w in words if w)


def chain_order(facts: ReceiverFacts) -> tuple[str, ...]:
    """All adjusters as they are turned: the IF from its end, then each band's."""
    keys = [*facts.if_adjusters(), *(key for band in facts.bands for key in _of_band(band))]
    return tuple(dict.fromkeys(keys))


def _of_band(band: BandFacts) -> tuple[str, ...]:
    return (*band_adjusters(band), *band.signal_adjusters)
