"""The room of the parts."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.stages.parts.steps import (
    FOUND_FORM,
    STAGE,
    as_listed,
    check_part,
    part_follows,
    part_withdrawn,
    parts_before_power,
    parts_under_test,
)

BEFORE_POWER = Leg("what is changed before power", parts_before_power)
UNDER_TEST = Leg("a few at a time, each with its test", parts_under_test)
ROOM = Room(
    STAGE,
    (BEFORE_POWER, UNDER_TEST),
    derive=as_listed,
    check=check_part,
    follows=part_follows,
    withdrawn=part_withdrawn,
    registers=(FOUND_FORM,),
)
