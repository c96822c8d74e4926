"""A set as blocks: what the signal runs through in each position, and what each block leans on."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

from glowdial.core.language.errors import BadInput, NotFound


class BlockKind(StrEnum):
    """What a block does; it tells what is in it where the sheet does not."""

    AERIAL = "aerial"
    TUNED = "tuned circuit"
    AMPLIFIER = "amplifier"
    MIXER = "mixer"
    OSCILLATOR = "oscillator"
    FILTER = "filter"
    DETECTOR = "detector"
    CONTROL_LINE = "control line"
    VOLUME = "volume control"
    OUTPUT = "output stage"
    SPEAKER = "loudspeaker"
    SWITCH = "switch"
    RELAY = "relay"
    CONNECTOR = "connector"
    SUPPLY = "supply"
    REGULATOR = "regulator"
    DECODER = "decoder"


class PartFamily(StrEnum):
    """What fails: kinds of parts by their rates."""

    CONTACT = "contact"
    CONNECTOR = "connector"
    RELAY = "relay"
    SWITCHING_DIODE = "switching diode"
    ELECTROLYTIC = "electrolytic capacitor"
    PAPER = "paper capacitor"
    SMALL_CAPACITOR = "mica or ceramic capacitor"
    TUBE = "tube"
    SEMICONDUCTOR = "semiconductor"
    RESISTOR = "resistor"
    POTENTIOMETER = "potentiometer"
    COIL = "coil"
    CRYSTAL = "crystal"
    SPEAKER = "loudspeaker"


class LinkKind(StrEnum):
    """What runs along a connection: the signal, or what a block needs so that it works."""

    SIGNAL = "signal"
    OSCILLATOR = "oscillator"
    CONTROL = "control"
    SUPPLY = "supply"


@dataclass(frozen=True, slots=True)
class Block:
    """A part of a set that a test can tell from others.

    ``parts`` are what is in it, by kind. ``effort_min`` is what it takes to get at it, in minutes;
    ``gain_db`` what it should do to a signal, None where nobody says. ``stages`` are the stages of
    the circuit in it. ``used_in`` are the positions that use it, none for all of them. ``high`` is
    set where its volts can kill.
    """

    key: str
    name: str
    kind: BlockKind
    parts: tuple[tuple[PartFamily, int], ...]
    board: str = ""
    effort_min: float = 2.0
    gain_db: float | None = None
    stages: tuple[str, ...] = ()
    used_in: tuple[str, ...] = ()
    high: bool = False


@dataclass(frozen=True, slots=True)
class Link:
    """A connection from one block to another, in some positions (none for all)."""

    source: str
    to: str
    kind: LinkKind = LinkKind.SIGNAL
    used_in: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class TestPoint:
    """A place for a probe or a clip: the input of the block ``at`` (a grid, a base, a socket).

    ``level_v`` is the signal that should stand there for ``input_v`` at the aerial (V RMS), and
    ``dc_v`` its direct volts; None where nobody says.
    """

    __test__ = False

    key: str
    name: str
    at: str
    effort_min: float = 2.0
    level_v: float | None = None
    input_v: float | None = None
    dc_v: float | None = None


@dataclass(frozen=True, slots=True)
class Position:
    """What the set can be switched to and tried in: a band and mode, the gramophone. The signal
    comes in at ``source``, "" for the diagram's."""

    key: str
    name: str
    source: str = ""


@dataclass(frozen=True)
class BlockDiagram:
    """All of a set; ``derived`` tells that it was drawn from its line-up, bands and circuit.

    Raises BadInput when it is built: a link or a point to what is not there, a signal that runs in
    a circle, a block that nothing joins, a position in which no signal comes through.
    """

    blocks: tuple[Block, ...]
    links: tuple[Link, ...]
    points: tuple[TestPoint, ...]
    positions: tuple[Position, ...]
    source: str
    sink: str
    derived: bool = False

    def __post_init__(self) -> None:
        self._check_names()
        self._check_joined()
        self._check_circles()
        for position in self.positions:
            source = position.source or self.source
            if not self.between(source, self.sink, position.key):
                raise BadInput(
                    "block_diagram.positions",
                    position.key,
                    f"has no way for the signal from {source} to {self.sink}",
                    "links whose used_in holds the position, or none",
                )

    def _check_names(self) -> None:
        keys = [b.key for b in self.blocks]
        for what, listed in (
            ("blocks", keys),
            ("points", [p.key for p in self.points]),
            ("positions", [p.key for p in self.positions]),
        ):
            twice = sorted({k for k in listed if listed.count(k) > 1})
            if twice:
                raise BadInput(f"block_diagram.{what}", twice[0], "stands twice", "each key once")
        known, positions = set(keys), {p.key for p in self.positions}
        ends = [(e, "links") for link in self.links for e in (link.source, link.to)]
        ends += [(p.at, "points") for p in self.points]
        ends += [(self.source, "source"), (self.sink, "sink")]
        ends += [(p.source, "positions") for p in self.positions if p.source]
        for end, place in ends:
            if end not in known:
                raise BadInput(f"block_diagram.{place}", end, "is no block of it", keys[0])
        used: tuple[Block | Link, ...] = (*self.blocks, *self.links)
        for one in used:
            for key in one.used_in:
                if key not in positions:
                    first = self.positions[0].key if self.positions else "mw AM"
                    raise BadInput("block_diagram.used_in", key, "is no position of it", first)

    def _check_joined(self) -> None:
        joined = {end for link in self.links for end in (link.source, link.to)}
        for block in self.blocks:
            if block.key not in joined and len(self.blocks) > 1:
                raise BadInput(
                    "block_diagram.links",
                    block.key,
                    "is joined to nothing",
                    f'{{"from": "{self.blocks[0].key}", "to": "{block.key}"}}',
                )

    def _check_circles(self) -> None:
        state: dict[str, int] = {}
        following = self._following(None)

        def visit(key: str, trail: tuple[str, ...]) -> None:
            state[key] = 1
            for after in following.get(key, ()):
                if state.get(after) == 1:
                    circle = (*trail[trail.index(after) :], after) if after in trail else (key,)
                    raise BadInput(
                        "block_diagram.links",
                        " to ".join(circle),
                        "lets the signal run in a circle",
                        'a feedback as "kind": "control"',
                    )
                if after not in state:
                    visit(after, (*trail, after))
            state[key] = 2

        for block in self.blocks:
            if block.key not in state:
                visit(block.key, (block.key,))

    def block(self, key: str) -> Block:
        """The block of that key; raises NotFound."""
        found = next((b for b in self.blocks if b.key == key), None)
        if found is None:
            raise NotFound("block", key)
        return found

    def point(self, key: str) -> TestPoint:
        """The test point of that key; raises NotFound."""
        found = next((p for p in self.points if p.key == key), None)
        if found is None:
            raise NotFound("test point", key)
        return found

    def position(self, key: str) -> Position:
        """The position of that key; raises NotFound."""
        found = next((p for p in self.positions if p.key == key), None)
        if found is None:
            raise NotFound("position", key)
        return found

    @cached_property
    def index(self) -> dict[str, int]:
        """Where each block stands in ``blocks``."""
        return {b.key: n for n, b in enumerate(self.blocks)}

    def _used(self, thing: Block | Link, position: str | None) -> bool:
        return position is None or not thing.used_in or position in thing.used_in

    def _following(self, position: str | None) -> dict[str, list[str]]:
        used = {b.key for b in self.blocks if self._used(b, position)}
        following: dict[str, list[str]] = {}
        for link in self.links:
            joins = link.kind is LinkKind.SIGNAL and self._used(link, position)
            if joins and link.source in used and link.to in used:
                following.setdefault(link.source, []).append(link.to)
        return following

    @cached_property
    def _closures(self) -> dict[str, tuple[dict[str, frozenset[str]], dict[str, frozenset[str]]]]:
        """By position: what lies behind each block and before it, itself included."""
        found = {}
        for position in self.positions:
            following = self._following(position.key)
            preceding: dict[str, list[str]] = {}
            for source, after in following.items():
                for to in after:
                    preceding.setdefault(to, []).append(source)
            used = [b.key for b in self.blocks if self._used(b, position.key)]
            found[position.key] = (
                {k: _reached(k, following) for k in used},
                {k: _reached(k, preceding) for k in used},
            )
        return found

    def between(self, first: str, last: str, position: str) -> tuple[str, ...]:
        """The blocks that the signal runs through from one to another, both included, in a
        position; empty where it does not come that way. In the order of ``blocks``."""
        behind, before = self._closures[position]
        if first not in behind or last not in before or last not in behind[first]:
            return ()
        both = behind[first] & before[last]
        return tuple(b.key for b in self.blocks if b.key in both)

    def source_of(self, position: str) -> str:
        """The block that the signal comes in at in a position."""
        return self.position(position).source or self.source

    def leans_on(self, keys: Iterable[str], position: str) -> tuple[str, ...]:
        """What some blocks need so that they work: supplies, oscillators, control lines, and what
        these need in turn."""
        needed: dict[str, list[str]] = {}
        for link in self.links:
            if link.kind is not LinkKind.SIGNAL and self._used(link, position):
                needed.setdefault(link.to, []).append(link.source)
        given = set(keys)
        found: set[str] = set()
        for key in given:
            found |= _reached(key, needed)
        rest = found - given
        return tuple(b.key for b in self.blocks if b.key in rest and self._used(b, position))

    def fed_by(self, key: str, position: str) -> tuple[str, ...]:
        """The supplies that a block hangs on, through one another."""
        needed: dict[str, list[str]] = {}
        for link in self.links:
            if link.kind is LinkKind.SUPPLY and self._used(link, position):
                needed.setdefault(link.to, []).append(link.source)
        found = _reached(key, needed) - {key}
        return tuple(b.key for b in self.blocks if b.key in found)

    def way(self, position: str) -> tuple[str, ...]:
        """The blocks of a whole function, from the source to the sink, with what they lean on."""
        through = self.between(self.source_of(position), self.sink, position)
        both = {*through, *self.leans_on(through, position)}
        return tuple(b.key for b in self.blocks if b.key in both)


def _reached(start: str, following: dict[str, list[str]]) -> frozenset[str]:
    seen, waiting = {start}, [start]
    while waiting:
        for after in following.get(waiting.pop(), ()):
            if after not in seen:
                seen.add(after)
                waiting.append(after)
    return frozenset(seen)
