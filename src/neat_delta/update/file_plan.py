"""Which fields share a file, and which items stand in it, so that no file has a cell that does not change.

A file of changes is a set of fields and the items that change in all of them. An item may stand in several files; each
of its changed cells stands in exactly one. One file for each field always does, so there are never more files than
fields that change. Among such plans the cheapest is looked for: a file costs as much as ``FILE_COST`` rows, a row
costs its key.

It is looked for by steps: from one file a field, and from one file a set of fields that change together, a file is
added or taken away as long as that is cheaper. So it is never worse than either, but need not be the very cheapest.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING, Any, TypeAlias

import numpy as np

from neat_delta.matching import KEY_SEPARATOR
from neat_delta.update.field_sets import EXACT, NO_FILL_RULES, FillRules

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    import numpy.typing as npt

# A file is worth so many rows: so many more are sent before there is one more file.
FILE_COST = 50
# The commonest sets of fields among which files are looked for, and files that are tried in each step.
MOST_SETS, MOST_TRIED = 1_000, 60
# How much is tried in all: sets of fields times files.
MOST_WORK = 3_000_000
# How many sets share their fields pair by pair to find files that neither of them is.
PAIRED = 24

Fields: TypeAlias = frozenset[int]
Mask: TypeAlias = "npt.NDArray[Any]"


@dataclass(frozen=True)
class PlannedFile:
    """A file to be: its fields, and the sets of fields (by their joined names) whose items stand in it."""

    fields: tuple[str, ...]
    sets: frozenset[str]


def plan_files(sizes: Mapping[str, int], strategy: str = EXACT, holes: FillRules = NO_FILL_RULES) -> list[PlannedFile]:
    """The files of changes, for sets of fields (names joined, with how many items each).

    Where holes stay blank one file does. ``ONE_FILE`` fills holes: one file for all fields that may be filled, or one
    for all sets that agree in those that never are, whichever gives fewer files.
    """
    if holes.leaves:
        return [_shared(sizes)] if sizes else []
    if strategy == EXACT:
        return exact_files(sizes)
    return min(_by_agreement(sizes, holes), _one_beside(sizes, holes), key=lambda files: _size(files, sizes))


def _size(files: Sequence[PlannedFile], sizes: Mapping[str, int]) -> tuple[int, int]:
    return len(files), sum(sizes[one] for file in files for one in file.sets)


def _shared(sets: Iterable[str]) -> PlannedFile:
    """One file for the items of all these sets, with holes."""
    sets = list(sets)
    return PlannedFile(tuple(dict.fromkeys(name for one in sets for name in one.split(KEY_SEPARATOR))), frozenset(sets))


def _by_agreement(sizes: Mapping[str, int], holes: FillRules) -> list[PlannedFile]:
    """A file for all sets that agree in the fields that are never filled."""
    alike: dict[frozenset[str], list[str]] = {}
    for one in sizes:
        alike.setdefault(holes.never.intersection(one.split(KEY_SEPARATOR)), []).append(one)
    return [_shared(sets) for sets in alike.values()]


def _one_beside(sizes: Mapping[str, int], holes: FillRules) -> list[PlannedFile]:
    """One file for all fields that may be filled, and exact ones for the others."""
    others: dict[str, list[str]] = {}
    filled, names = [], dict.fromkeys(name for one in sizes for name in one.split(KEY_SEPARATOR))
    for one in sizes:
        never = [name for name in one.split(KEY_SEPARATOR) if name in holes.never]
        if never:
            others.setdefault(KEY_SEPARATOR.join(never), []).append(one)
        if len(never) < one.count(KEY_SEPARATOR) + 1:
            filled.append(one)
    exact = exact_files({part: sum(sizes[one] for one in sets) for part, sets in others.items()})
    files = [PlannedFile(file.fields, frozenset(one for part in file.sets for one in others[part])) for file in exact]
    beside = tuple(name for name in names if name not in holes.never)
    return [*files, *([PlannedFile(beside, frozenset(filled))] if filled else [])]


def exact_files(sizes: Mapping[str, int]) -> list[PlannedFile]:
    """Files without a cell that does not change: as cheap as found, never more than there are fields."""
    if not sizes:
        return []
    # (In an order that does not depend on how the change set stands.)
    names = sorted(sizes, key=lambda one: (-sizes[one], one))
    fields = sorted({name for one in names for name in one.split(KEY_SEPARATOR)})
    place = {name: at for at, name in enumerate(fields)}
    parts = [[place[name] for name in one.split(KEY_SEPARATOR)] for one in names]
    # A row for each field: whether each set has it.
    changes = np.zeros((len(fields), len(names)), dtype=bool)
    changes[np.concatenate(parts), np.repeat(np.arange(len(parts)), list(map(len, parts)))] = True
    search = _Search(changes, np.array([sizes[one] for one in names]))
    chosen = search.cheapest()
    return [
        PlannedFile(tuple(fields[at] for at in sorted(file)), frozenset(names[at] for at in np.flatnonzero(holds)))
        for file, holds in search.cover(chosen)[1]
    ]


class _Search:
    """The search for the cheapest files of some sets of fields (fields × sets), with how many items each has."""

    def __init__(self, changes: Mask, sizes: Mask) -> None:
        self.changes, self.sizes, self.fields = changes, sizes, len(changes)
        # (The commonest stand first.)
        self.sets = [frozenset(np.flatnonzero(one).tolist()) for one in changes[:, :MOST_SETS].T]

    def cheapest(self) -> list[Fields]:
        """The files of the cheapest plan that was found."""
        together = self._fields_together()
        starts = [together, *([self.sets] if self.changes.shape[1] <= self.fields else [])]
        if self.changes.shape[1] <= MOST_SETS:
            plans = [self._improved(files) for files in starts]
        else:
            some = _Search(self.changes[:, :MOST_SETS], self.sizes[:MOST_SETS])
            # (The fields of other sets need their files too.)
            plans = [list(dict.fromkeys([*some._improved(files), *together])) for files in starts]
        costs = [(self._cost(files), at) for at, files in enumerate([*plans, together])]
        best = min((cost, at) for cost, at in costs if cost is not None)
        return [*plans, together][best[1]]

    def _fields_together(self) -> list[Fields]:
        """One file for each field, but one for fields that change in the same items."""
        alike: dict[bytes, list[int]] = {}
        for at in range(self.fields):
            alike.setdefault(self.changes[at].tobytes(), []).append(at)
        return [frozenset(group) for group in alike.values()]

    def cover(self, files: Sequence[Fields]) -> tuple[Mask, list[tuple[Fields, Mask]]]:
        """What of each set is in no file, and the files that are used, each with the sets whose items it holds.

        Files of many fields go first, among these those that stand first.
        """
        left: Mask = self.changes.copy()
        used: list[tuple[Fields, Mask]] = []
        for file in sorted(files, key=len, reverse=True):
            columns = np.array(sorted(file))
            holds = np.asarray(left[columns].all(axis=0))
            if holds.any():
                used.append((file, holds))
                left[columns] &= ~holds
        return left, used

    def _cost(self, files: Sequence[Fields]) -> int | None:
        """What these files cost, in rows; ``None`` if they do not have every cell, or are too many."""
        left, used = self.cover(files)
        if left.any() or len(used) > self.fields:
            return None
        return FILE_COST * len(used) + int(sum(self.sizes[holds].sum() for _, holds in used))

    def _improved(self, files: Sequence[Fields]) -> list[Fields]:
        """The files with one more or one less as long as that is cheaper."""
        files, cost = list(files), self._cost(files)
        tries = max(MOST_TRIED, MOST_WORK // (len(self.sets) * self.fields))
        tempting = self._tempting()
        while cost is not None and tries > 0:
            fewer = [[other for other in files if other != one] for one in files]
            more = [[*files, one] for one in tempting if one not in files]
            tried = [(self._cost(other), other) for other in [*fewer, *more][:tries]]
            tries -= len(tried)
            sound = [(one, other) for one, other in tried if one is not None and one < cost]
            if not sound:
                break
            cost, files = min(sound, key=lambda plan: plan[0])
            files = [file for file, _ in self.cover(files)[1]]
        return files

    def _tempting(self) -> list[Fields]:
        """Sets of fields that a file might have, and what pairs of the commonest share: by the rows they might save."""
        pairs = (one & other for one, other in combinations(self.sets[:PAIRED], 2))
        candidates = [one for one in dict.fromkeys([*self.sets[: MOST_TRIED * 2], *pairs]) if len(one) > 1]
        saves = [int(self.sizes[self.changes[sorted(one)].all(axis=0)].sum()) * (len(one) - 1) for one in candidates]
        order = sorted(range(len(candidates)), key=lambda at: -saves[at])
        return [candidates[at] for at in order[:MOST_TRIED]]
