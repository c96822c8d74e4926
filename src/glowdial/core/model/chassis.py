"""Where things are on a chassis: by the sheet, or as somebody placed them.

From the left edge as seen from the front, and from the front edge to the back, whatever side a
thing is on; at the rear from the left edge and upward.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Side(StrEnum):
    """The side of the chassis that a thing is seen and reached from."""

    TOP = "top"
    UNDERSIDE = "underside"
    REAR = "rear"
    PHOTO = "photo"


class Thing(StrEnum):
    """What a thing on a chassis is drawn as."""

    TUBE = "tube"
    CAN = "can"
    GANG = "gang"
    TRIMMER = "trimmer"
    CORE = "core"
    TRANSFORMER = "transformer"
    LOUDSPEAKER = "loudspeaker"
    OTHER = "other"


# what most chassis carry, known by these keys without being listed: their names, and how they look
COMMON_THINGS = {
    "gang": ("gang", Thing.GANG),
    "mains-transformer": ("mains transformer", Thing.TRANSFORMER),
    "loudspeaker": ("loudspeaker", Thing.LOUDSPEAKER),
}


class Reach(StrEnum):
    """Which of two cores in one can a tool meets first."""

    ONLY = ""
    NEAR = "near"
    FAR = "far"


@dataclass(frozen=True, slots=True)
class Placed:
    """A thing at its place, in mm: its middle and its size. ``what`` is the key of an adjuster, a
    tube or a can; other things have a name only. A sealed adjuster is not to be turned. On a photo,
    told by its number, places are thousandths of its width and height from its upper left corner.
    """

    what: str
    name: str
    thing: Thing
    side: Side
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float
    reach: Reach = Reach.ONLY
    sealed: bool = False
    photo_id: int = 0

    @property
    def key(self) -> str:
        """What it is known by: its key, or its name where it has none."""
        return self.what or self.name


@dataclass(frozen=True, slots=True)
class Layout:
    """A chassis with what is placed on it; its sizes in mm."""

    width_mm: float
    depth_mm: float
    height_mm: float
    placed: tuple[Placed, ...]
