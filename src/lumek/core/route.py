"""The order in which an address counter comes to bytes of a memory: a route, in the least time.

A memory is a ring, so n runs of neighbours have n gaps between them. A gap is passed over by an address, or, where that
takes less, its bytes are written once more. One address is saved where the route begins where the counter stands, and
one where it ends where the counter is to stand.

*Why no route is quicker.* Each place is written once, and the counter comes to it from the place before or by an
address. So a route is a set of runs, and costs its bytes and an address for each run but those two. Cutting a run costs
an address and saves at most that and the bytes of a gap: it pays only where a run may begin at the counter, or end at
the target. Both cuts are tried.
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.core.costs import Costs


def route(
    places: list[int], size: int, costs: "Costs", counter: "int | None", target: "int | None", turn: int = 0
) -> list[tuple[int, int]]:
    """The runs by which an address counter comes to all of these places in the least time, as (first, length).

    places: ascending, one at least. size: of the ring that they lie on.
    counter: where it stands. target: where it is to stand at the end. None: elsewhere, and anywhere.
    turn: what it costs to begin with data, as RS is; an address then costs as much less.
    """
    start = -1 if counter is None else _reached(places, size, costs.reach, counter)
    stop = -1 if target is None else _ended(places, size, costs.reach, target)
    best = _joined(places, size, costs.reach, counter, target, start, -1)
    ways = [(-1, stop), (start, stop)] if stop >= 0 else []
    if turn and start >= 0:
        ways.append((-1, -1))
    if ways:
        least = _cost(best, size, costs, counter, target, turn)
        for way in ways:
            runs = _joined(places, size, costs.reach, counter, target, *way)
            us = _cost(runs, size, costs, counter, target, turn)
            if us < least:
                best, least = runs, us
    return best


def _reached(places: list[int], size: int, reach: int, counter: int) -> int:
    """The number of the place to which the counter comes by itself, or within reach; -1 for none."""
    number = _next(places, counter)
    return number if (places[number] - counter) % size <= reach else -1


def _ended(places: list[int], size: int, reach: int, target: int) -> int:
    """The number of the place before which a run may stop at the target, or within reach of it; -1 for none."""
    number = _next(places, target)
    return number if (target - places[number - 1] - 1) % size <= reach else -1


def _next(places: list[int], at: int) -> int:
    """The number of the first place from there on, around the ring."""
    for number, place in enumerate(places):
        if place >= at:
            return number
    return 0


def _joined(
    places: list[int], size: int, reach: int, counter: "int | None", target: "int | None", start: int, stop: int
) -> list[tuple[int, int]]:
    """Places as runs, which are joined where the gap is within reach.

    start: the number of the place to begin with, from the counter on; -1: any.
    stop: of the place before which the last run ends, at the target; -1: any.
    """
    heads, last = [], places[-1] - size
    for number, place in enumerate(places):
        if place - last > reach + 1:
            heads.append(number)
        last = place
    for cut in (start, stop):
        if cut >= 0 and cut not in heads and (_gap(places, size, cut) or stop >= 0 or not heads):
            heads = sorted(heads + [cut])
    if not heads:
        gaps = [_gap(places, size, number) for number in range(len(places))]
        heads = [gaps.index(max(gaps))]
    runs = []
    for number, head in enumerate(heads):
        last = places[heads[(number + 1) % len(heads)] - 1]
        first = places[head]
        length = (last - first) % size + 1
        if head == start and counter is not None:
            length += (first - counter) % size
            first = counter
        runs.append((first, length))
    if start in heads:
        number = heads.index(start)
        runs = runs[number:] + runs[:number]
        heads = heads[number:] + heads[:number]
    if stop in heads and target is not None:
        number = heads.index(stop) - 1
        first, length = runs.pop(number)
        runs.append((first, length + (target - first - length) % size))
    return runs


def _gap(places: list[int], size: int, number: int) -> int:
    """How many places of the ring are between a place and the one before it."""
    return (places[number] - places[number - 1] - 1) % size


def _cost(
    runs: list[tuple[int, int]], size: int, costs: "Costs", counter: "int | None", target: "int | None", turn: int
) -> int:
    """What runs take, with the address for a target that they do not end at; beyond a constant."""
    us, at = turn if runs[0][0] == counter else -turn, counter
    for first, length in runs:
        us += length * costs.cell + (costs.hop if first != at else 0)
        at = (first + length) % size
    return us + (0 if target is None or at == target else costs.hop)
