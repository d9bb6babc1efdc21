"""The order in which an address counter comes to bytes of a memory: a route, in the least time.

A memory is a ring, so n runs of neighbours have n gaps between them. A gap is passed over by an address, or, where that
takes less, its bytes are written once more. One address is saved where the route begins at the counter, and one
where it ends where the counter is to be.

*Why no route is quicker.* Each place is written once, and the counter comes to it from the place before or by an
address. So a route is a set of runs, and costs its bytes and an address for each run but those two. Cutting a run costs
an address and saves at most that and the bytes of a gap: it pays only where a run may begin at the counter, or end at
the target. Both cuts are tried.
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    from lumek.core.costs import Costs

UNMARKED = b"\0"


def marked(places: "Iterable[int]", size: int) -> bytes:
    """A byte for each place of a ring of this size, not 0 for these."""
    marks = bytearray(size)
    for place in places:
        marks[place] = 1
    return bytes(marks)


def route(
    marks: bytes, costs: "Costs", counter: "int | None", target: "int | None", turn: int = 0
) -> list[tuple[int, int]]:
    """The runs by which an address counter comes to all marked places in the least time, as (first, length).

    marks: a byte for each place of the ring, not 0 for those to come to; at least one of them. They are searched as a
        whole, since a board takes long for each byte.
    counter: where it is. target: where it is to be at the end. None: elsewhere, and anywhere.
    turn: what it costs to begin with data, as RS is; an address then costs as much less.
    """
    start = -1
    if counter is not None:
        place = _next(marks, counter)
        start = place if (place - counter) % len(marks) <= costs.reach else -1
    best = _joined(marks, costs.reach, counter, start, -1)
    if target is not None or (turn and start >= 0 and start != counter):
        best = _compared(best, marks, costs, counter, target, start, turn)
    return best


def _compared(
    best: list[tuple[int, int]], marks: bytes, costs: "Costs", counter: "int | None", target: "int | None", start: int,
    turn: int,
) -> list[tuple[int, int]]:  # fmt: skip
    """Of runs and those that end at the target, or do not begin at the counter, the cheapest."""
    ways = [(-1, -1)] if turn and start >= 0 else []
    if target is not None:
        stop = _next(marks, target)
        if (target - _last(marks, target) - 1) % len(marks) <= costs.reach:
            ways += [(-1, stop), (start, stop)]
    least = _cost(best, len(marks), costs, counter, target, turn)
    for begin, end in ways:
        runs = _joined(marks, costs.reach, counter, begin, end)
        if target is not None and end >= 0:
            last = _last(marks, end)
            number = [(last - first) % len(marks) < length for first, length in runs].index(True)
            first = runs.pop(number)[0]
            runs.append((first, (target - first) % len(marks) or len(marks)))
        us = _cost(runs, len(marks), costs, counter, target, turn)
        if us < least:
            best, least = runs, us
    return best


def _next(marks: bytes, place: int) -> int:
    """The first marked place from this one on, around the ring."""
    return len(marks) - len(marks[place:].lstrip(UNMARKED) or marks.lstrip(UNMARKED))


def _last(marks: bytes, place: int) -> int:
    """The last marked place before this one, around the ring."""
    return len(marks[:place].rstrip(UNMARKED) or marks.rstrip(UNMARKED)) - 1


def _joined(marks: bytes, reach: int, counter: "int | None", start: int, stop: int) -> list[tuple[int, int]]:
    """Marked places as runs, which are joined where the gap is within reach.

    start: the place to begin with, from the counter on; -1: any.
    stop: a place before which a run always ends; -1: none.
    """
    size, apart = len(marks), UNMARKED * (reach + 1)
    first = _next(marks, 0)
    heads = [first] if _gap(marks, first) > reach else []
    end = marks.find(apart, first)
    while end >= 0:
        rest = marks[end:].lstrip(UNMARKED)
        if not rest:
            break
        heads.append(size - len(rest))
        end = marks.find(apart, heads[-1])
    for cut in (start, stop):
        if cut >= 0 and cut not in heads and (_gap(marks, cut) or stop >= 0 or not heads):
            heads = sorted(heads + [cut])
    if not heads:
        heads = [_around(marks, reach)]
    runs = []
    for number, head in enumerate(heads):
        length = (_last(marks, heads[(number + 1) % len(heads)]) - head) % size + 1
        if head == start and counter is not None:
            length += (head - counter) % size
            head = counter
        runs.append((head, length))
    if start in heads:
        number = heads.index(start)
        runs = runs[number:] + runs[:number]
    return runs


def _around(marks: bytes, reach: int) -> int:
    """Where to begin when no gap is longer than the reach: after the longest."""
    for gap in range(reach, 0, -1):
        at = (marks + marks).find(UNMARKED * gap)
        if at >= 0:
            return _next(marks, at % len(marks))
    return 0


def _gap(marks: bytes, place: int) -> int:
    """How many places of the ring are between a marked place and the one before it."""
    return (place - _last(marks, place) - 1) % len(marks)


def _cost(
    runs: list[tuple[int, int]], size: int, costs: "Costs", counter: "int | None", target: "int | None", turn: int
) -> int:
    """What runs take, with the address for a target that they do not end at; beyond a constant."""
    us, at = turn if runs[0][0] == counter else -turn, counter
    for first, length in runs:
        us += length * costs.cell + (costs.hop if first != at else 0)
        at = (first + length) % size
    return us + (0 if target is None or at == target else costs.hop)
