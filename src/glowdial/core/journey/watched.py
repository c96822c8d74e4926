"""A record that notes what is looked up in it, so that what was derived of it is known to hold.

A stretch of the journey reads a job's record through a ``WatchedRecord``: the same questions, the
same answers, and every look-up is noted with what stood there. Nothing has to be declared, so
nothing can be forgotten; what was not looked at may change without anything being derived anew.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Mapping
from dataclasses import fields
from typing import Any, TypeVar

from glowdial.core.journey.record import AnswersBy, JobRecord, MovesBy

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")

# which list of the record, and what was looked for in it; all of its keys where that is ALL
Lookup = tuple[str, Hashable]
# through which chains' eyes the record is seen: own prefix, those of others
Path = tuple[tuple[str, tuple[str, ...]], ...]
Read = tuple[Path, Lookup]
ALL = "*"
BEGUN = "begun"
# entries of these change after they were made
OPEN_ENTRIES = ("temporaries", "switched_off")
ENTRIES = tuple(f.name for f in fields(JobRecord) if f.init and not f.name.endswith("_by"))
MAPS: Mapping[str, Callable[[JobRecord], Mapping[Any, Any]]] = {
    "latest": lambda record: record.answers_by.latest,
    "step": lambda record: record.answers_by.step,
    "question": lambda record: record.answers_by.question,
    "value": lambda record: record.answers_by.value,
    "place": lambda record: record.answers_by.place,
    "moved": lambda record: record.moves_by.adjuster,
    "turned": lambda record: record.moves_by.turned,
    "register": lambda record: record.lines_by,
    "caution": lambda record: record.seen_by_danger,
    "changed": lambda record: record.changes_by,
    "closed": lambda record: record.closures_by,
}


class Reads:
    """What was looked up in a record, each with what stood there then."""

    def __init__(self) -> None:
        self._noted: dict[Read, Hashable] = {}

    def note(self, path: Path, lookup: Lookup) -> None:
        """Something is looked up."""
        self._noted[path, lookup] = None

    def kept(self, record: JobRecord) -> Mapping[Read, Hashable]:
        """All of it, as it stands in the record that was read."""
        return {read: mark(record, read) for read in self._noted}


def unchanged(reads: Mapping[Read, Hashable], record: JobRecord) -> bool:
    """Whether everything that was looked up stands in a later record of the same job as it did."""
    return all(mark(record, read) == stood for read, stood in reads.items())


def mark(record: JobRecord, read: Read) -> Hashable:
    """A mark of what stands where was looked: another one once something was entered there.

    Entries are only added, and taken back one by one: their number and the last of them tell.
    """
    path, (name, key) = read
    for chain in path:
        record = record.of_chain(*chain)
    if name == BEGUN:
        return record.begun(str(key))
    if name == "answers":
        return len(record.answers), len(record.withdrawals)
    if name in ENTRIES:
        return _mark(getattr(record, name), whole=name in OPEN_ENTRIES)
    found = MAPS[name](record)
    return tuple(found) if key == ALL else _mark(found.get(key))


def _mark(value: Any, *, whole: bool = False) -> Hashable:
    if isinstance(value, dict):
        value = tuple(value.values())
        return len(value), max((line.seq for line in value), default=0)
    if isinstance(value, tuple):
        last = value[-1] if value else 0
        return value if whole else (len(value), getattr(last, "seq", last))
    found: Hashable = getattr(value, "seq", value)
    return found


class _NotingMap(Mapping[K, V]):
    """A list of the record by what it is looked for, that notes what is."""

    def __init__(self, name: str, of: Mapping[K, V], path: Path, reads: Reads) -> None:
        self._name, self._of, self._path, self._reads = name, of, path, reads

    def get(self, key: K, default: Any = None) -> Any:
        self._reads.note(self._path, (self._name, key))
        return self._of.get(key, default)

    def __getitem__(self, key: K) -> V:
        self._reads.note(self._path, (self._name, key))
        return self._of[key]

    def __contains__(self, key: object) -> bool:
        self._reads.note(self._path, (self._name, key))
        return key in self._of

    def __iter__(self) -> Iterator[K]:
        self._reads.note(self._path, (self._name, ALL))
        return iter(self._of)

    def __len__(self) -> int:
        self._reads.note(self._path, (self._name, ALL))
        return len(self._of)


class WatchedRecord(JobRecord):
    """A record of which every look-up is noted."""

    __slots__ = ("_of", "_path", "_reads")
    _of: JobRecord
    _path: Path
    _reads: Reads

    def __init__(self, of: JobRecord, reads: Reads, path: Path = ()) -> None:
        found: dict[str, Any] = {
            name: _NotingMap(name, list_of(of), path, reads) for name, list_of in MAPS.items()
        }
        given = {
            "_of": of,
            "_reads": reads,
            "_path": path,
            "answers_by": AnswersBy(
                (),
                found["latest"],
                found["step"],
                found["question"],
                found["value"],
                found["place"],
            ),
            "moves_by": MovesBy((), found["moved"], found["turned"]),
            "lines_by": found["register"],
            "seen_by_danger": found["caution"],
            "changes_by": found["changed"],
            "closures_by": found["closed"],
        }
        for name, value in given.items():
            object.__setattr__(self, name, value)

    def begun(self, prefix: str) -> tuple[str, ...]:
        """The keys of the steps that begin so and were worked."""
        self._reads.note(self._path, (BEGUN, prefix))
        return self._of.begun(prefix)

    def of_chain(self, own: str, others: tuple[str, ...]) -> JobRecord:
        """The record as a chain sees it, watched too."""
        path = (*self._path, (own, others))
        return WatchedRecord(self._of.of_chain(own, others), self._reads, path)


def _entries(name: str) -> property:
    def noted(record: WatchedRecord) -> Any:
        record._reads.note(record._path, (name, ALL))
        return getattr(record._of, name)

    return property(noted, doc=f"The {name.replace('_', ' ')}, all of them.")


for _name in ENTRIES:
    setattr(WatchedRecord, _name, _entries(_name))
