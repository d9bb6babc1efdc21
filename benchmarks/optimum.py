"""An optimal planner written apart from Lumek's: what an update of a panel takes at least.

It knows the controller from the data sheet (HD44780U, tables 5 and 6) and shares no code with `lumek.core`.
`shortest` searches all that can be sent, and is for small changes; `least` is a lower bound for any of them:

- every cell and every row of a drawing that differs is written once at least, and takes the time of a byte of data;
- the address counter comes to it from the one before, which is written, too, or by an address;
- one address is saved where the counter stands already, one where the cursor is to stand at the end;
- between writing cells and writing rows there is an address, whatever comes first;
- clearing, where it is allowed, is one instruction, after which all cells are blank and the counter is at 0.

`tests/core/test_optimum.py` compares the two.
"""

import heapq
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import count

import numpy as np
from scipy.optimize import linear_sum_assignment

SPACE, CELLS, ROWS = 0x20, 80, 64
"""Code of a blank cell; bytes of DDRAM and CGRAM of a controller."""


State = tuple[tuple[int, ...], tuple[int, ...], int | None, int, bool]
"""Cells of the window, rows, counter, shift, and whether RS is as for data."""


@dataclass(frozen=True)
class Prices:
    """Microseconds that a step takes on a link: a byte of data, an instruction, a slow one, an address and the data
    after it beyond these, that is with both changes of RS.
    """

    data: float
    instruction: float
    slow: float
    address: float

    @property
    def turn(self) -> float:
        """A change of RS."""
        return (self.address - self.instruction) / 2


@dataclass(frozen=True)
class Memory:
    """A controller as it stands: cells and rows, the counter (of CGRAM: its complement), shift, entry and control.

    rs: whether RS is as for data.
    """

    cells: tuple[int, ...]
    rows: tuple[int, ...]
    counter: int | None
    shift: int = 0
    leftward: bool = False
    control: int = 0
    rs: bool = True


def least(
    before: Memory, after: Memory, prices: Prices, ring: int, target: int | None = None, clears: bool = False
) -> float:
    """The lower bound.

    ring: columns after which a shift is back. target: the counter that is wanted. clears: whether clearing is allowed.
    """
    fixed = prices.instruction * ((before.control != after.control) + (before.leftward != after.leftward))
    ways = [_written(before, after, prices, target, before.counter) + _turned(before, after, prices, ring)]
    if ways[0] and ways[0] == _turned(before, after, prices, ring):
        fixed += prices.turn * before.rs
    if before.shift != after.shift:  # by "return home", which may come at any time, and save an address then
        homed = prices.slow + _turned(replace(before, shift=0), after, prices, ring)
        ways += [_written(before, after, prices, None, counter) + homed for counter in (before.counter, 0)]
    if clears:
        blank = replace(before, cells=(SPACE,) * CELLS, counter=0, shift=0)
        turned = prices.instruction * after.leftward - prices.instruction * (before.leftward != after.leftward)
        ways.append(
            prices.slow + turned + _written(blank, after, prices, target, 0) + _turned(blank, after, prices, ring)
        )
    return fixed + min(ways)


def _turned(before: Memory, after: Memory, prices: Prices, ring: int) -> float:
    way = (after.shift - before.shift) % ring
    return min(way, ring - way) * prices.instruction


def _written(before: Memory, after: Memory, prices: Prices, target: int | None, counter: int | None) -> float:
    changes = before.cells != after.cells or before.rows != after.rows
    turn = prices.turn
    if not changes and target not in (None, counter):  # an address, or cells that are written once more
        address = prices.instruction + turn * before.rs
        if counter is None or counter < 0 or target is None:
            return address
        return min(address, prices.data * ((target - counter) * (-1 if after.leftward else 1) % CELLS))
    if before.rs:
        return _from(before, after, prices, target, counter)
    begun = _from(before, after, prices, target, counter)
    return min(begun + turn, _from(before, after, prices, target, None) - turn) if changes else begun


def _from(before: Memory, after: Memory, prices: Prices, target: int | None, counter: int | None) -> float:
    cells = [a != b for a, b in zip(before.cells, after.cells, strict=True)]
    rows = [a != b for a, b in zip(before.rows, after.rows, strict=True)]
    mirror = after.leftward
    in_rows = counter is not None and counter < 0
    us = 0.0
    if any(rows):
        us += _around(rows, prices, ~counter if in_rows and counter is not None else None, None, mirror)
    if target is None and not any(cells):
        return us
    redrawn = {place // 8 for place, differs in enumerate(rows) if differs}
    early = any(differs and code not in redrawn for differs, code in zip(cells, after.cells, strict=True))
    start = counter if early and not in_rows else None
    if not any(cells):
        return us + (0 if counter == target and not any(rows) else prices.instruction + prices.turn * any(rows))
    return us + _around(cells, prices, start, None if any(rows) else target, mirror)


def _around(places: list[bool], prices: Prices, counter: int | None, target: int | None, mirror: bool) -> float:
    """The least for all of these places on a ring, by dynamic programming along it.

    A state is: whether the last place was written; whether its run began at the counter; whether such a run ended at
    the target; whether there were more runs than one. The ring is opened at the counter.
    """
    size = len(places)
    if mirror:
        places = places[::-1]
        counter = None if counter is None else size - 1 - counter
        target = None if target is None else size - 1 - target
    opened = counter or 0
    places = places[opened:] + places[:opened]
    goal = None if target is None else (target - opened) % size
    saved = prices.instruction + prices.turn
    best = float("inf")
    for carried in (False, True):  # whether a run goes on from the last place to the first
        states = {(carried, False, False, 0): 0.0}
        for place, needed in enumerate(places):
            following: dict[tuple[bool, bool, bool, int], float] = {}
            for (writing, free, both, runs), us in states.items():
                ways = [((True, free, both, runs), us + prices.data)] if writing else []
                ends = [(us, both)]
                if writing and (gained := _gained(goal, place, size, prices.data, saved)):
                    ends.append((us - gained, both or free))
                for cost, both_now in ends if place or not carried else ():
                    begins = place == 0 and counter is not None
                    entry = 0.0 if begins else prices.address
                    ways.append(((True, begins, both_now, min(2, runs + 1)), cost + entry + prices.data))
                    if not needed:
                        ways.append(((False, False, both_now, runs), cost))
                for state, cost in ways:
                    following[state] = min(cost, following.get(state, cost))
            states = following
        for (writing, free, both, runs), us in states.items():
            if carried and not writing:
                continue
            ends = [(us, both)]
            if writing and not carried and (gained := _gained(goal, 0, size, prices.data, saved)):
                ends.append((us - gained, both or free))
            for cost, both_now in ends:
                total = cost + prices.address * (runs == 0 and carried) + saved * (both_now and runs > 1)
                best = min(best, total)
    return best + (saved if target is not None else 0.0)


def reslotted(before: Memory, after: Memory) -> Memory:
    """The same picture with each drawing where the fewest rows and cells differ, by linear assignment."""
    shown = sorted({code for code in after.cells if code < 8})
    if not shown:
        return after
    costs = np.zeros((len(shown), 8))
    for number, code in enumerate(shown):
        drawing = after.rows[code * 8 : code * 8 + 8]
        places = [place for place, one in enumerate(after.cells) if one == code]
        for slot in range(8):
            held = before.rows[slot * 8 : slot * 8 + 8]
            costs[number, slot] = sum(a != b for a, b in zip(held, drawing, strict=True))
            costs[number, slot] += sum(before.cells[place] != slot for place in places)
    rows = list(before.rows)
    codes: dict[int, int] = {}
    for code, better in zip(shown, linear_sum_assignment(costs)[1].tolist(), strict=True):
        codes[code] = better
        rows[better * 8 : better * 8 + 8] = after.rows[code * 8 : code * 8 + 8]
    return replace(after, cells=tuple(codes.get(code, code) for code in after.cells), rows=tuple(rows))


def _gained(goal: int | None, end: int, size: int, data: float, saved: float) -> float:
    """What a run that ends there saves of the address for the cursor, by going on to its cell."""
    return 0.0 if goal is None else max(0.0, saved - (goal - end) % size * data)


def shortest(
    before: Memory, after: Memory, prices: Prices, ring: int, window: list[int], places: list[int],
    target: int | None = None, clears: bool = False,
) -> float:  # fmt: skip
    """The least by search (Dijkstra) of all that can be sent to the cells of a window and to places of CGRAM.

    No state is passed in which a cell shows a third thing: each shows what it did, what it will, or, where it changes
    or clearing is allowed, a blank.
    """
    ways = count()

    def part(memory: Memory) -> tuple[tuple[int, ...], tuple[int, ...]]:
        return tuple(memory.cells[place] for place in window), tuple(memory.rows[place] for place in places)

    def drawing(code: int, rows: tuple[int, ...]) -> tuple[int, ...]:
        return tuple(row for place, row in zip(places, rows, strict=True) if place // 8 == code)

    (olds, old_rows), (news, new_rows) = part(before), part(after)

    def allowed(cells: tuple[int, ...], rows: tuple[int, ...]) -> bool:
        for old, now, new in zip(olds, cells, news, strict=True):
            if now == SPACE or now > 7:
                continue
            seen, was, will = drawing(now, rows), drawing(old, old_rows), drawing(new, new_rows)
            if old == new == now:
                if any(row not in pair for row, *pair in zip(seen, was, will, strict=True)):
                    return False
            elif not (now == old and seen == was) and not (now == new and seen == will):
                return False
        return True

    def moves(state: State) -> Iterator[tuple[float, State]]:
        cells, rows, counter, shift, data = state
        begun, instruction = (0, prices.instruction + prices.turn) if data else (prices.turn, prices.instruction)
        if counter in window:
            at = window.index(counter)
            blank = {SPACE} if clears or olds[at] != news[at] else set()
            for code in {cells[at], olds[at], news[at]} | blank:
                written = (*cells[:at], code, *cells[at + 1 :])
                yield prices.data + begun, (written, rows, (counter + 1) % CELLS, shift, True)
        if counter is not None and ~counter in places:
            at = places.index(~counter)
            for row in {rows[at], new_rows[at]}:
                drawn = (*rows[:at], row, *rows[at + 1 :])
                yield prices.data + begun, (cells, drawn, ~((~counter + 1) % ROWS), shift, True)
        for place in [*window, *[~place for place in places]]:
            yield instruction, (cells, rows, place, shift, False)
        if before.shift != after.shift:
            for way in (1, -1):
                yield instruction, (cells, rows, counter, (shift + way) % ring, False)
        slow = prices.slow + instruction - prices.instruction
        yield slow, (cells, rows, 0, 0, False)
        if clears:
            yield slow, ((SPACE,) * len(window), rows, 0, 0, False)

    start = (olds, old_rows, before.counter, before.shift, before.rs)
    found: dict[State, float] = {start: 0.0}
    queue = [(0.0, next(ways), start)]
    while queue:
        us, _, state = heapq.heappop(queue)
        if us > found[state]:
            continue
        cells, rows, counter, shift, _ = state
        if (cells, rows, shift) == (news, new_rows, after.shift) and target in (None, counter):
            return us
        for price, follower in moves(state):
            if us + price < found.get(follower, 1e18) and allowed(follower[0], follower[1]):
                found[follower] = us + price
                heapq.heappush(queue, (us + price, next(ways), follower))
    raise AssertionError("no way leads there")
