"""Finding out which wire is what, from what they did.

*What is known of every panel.* E is the wire that falls alone: whatever else changes does so before. A byte is taken
when it falls. What is sent is a start-up (or some instructions), then addresses and text. Under most assignments of
wires to roles the same pulses say nonsense: instructions that no program sends, text of arrows and blanks, halves of
bytes whose RS differ.

*Scoring.* An assignment gets points for what makes sense, and loses some for what does not; see
`lumek.captures.scoring`. Known maps get a little in advance. The best has the most points. How sure that is follows
from how far behind the next one is.

*What pulses cannot say.* A wire that never changes may be RW (grounded, or held at 0), the backlight, or nothing. One
that is always 1 is not RW: it is the backlight, lit by 1, or nothing. Which of two that are always 0 is which, the
pulses do not say; both are then listed as not found.
Source: HD44780U data sheet (ADE-207-272), table 6; "Initializing by instruction".
"""

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise, permutations
from typing import NamedTuple

from lumek.captures.scoring import Score, score_bytes, score_halves

FEWEST = 4
"""Pulses of a wire that may be E."""

CLEAN = 0.9
"""The share of its falls at which nothing else may change, but the E of a second controller."""

MOST_CONTROLLERS = 2

MOST_PULSES = 400
"""Pulses by which an assignment is judged."""

FIRST_LOOK = 24
"""Pulses after which an assignment that made no sense so far is given up."""

LIKELY, AHEAD_OF_NEXT = 0.6, 0.03
"""Share of the points, and lead, from which on an assignment is certain."""

NO_SENSE = 0.45
"""The share below which an assignment makes no sense."""

AHEAD = 1.02
"""What a known map has in advance."""

REPEATS = 8

MOST_FOUND = 20

MOST_TRIED = 10
"""Wires that may be RS and four data lines: of more there are too many assignments to try."""

MOST_ONES = 5
"""Lines that are 1 in a function set for 8 bits."""

EIGHT = ("d0", "d1", "d2", "d3", "d4", "d5", "d6", "d7")
HALVES = EIGHT[4:]


class Found(NamedTuple):
    """An assignment of wires to roles.

    lines: role -> number of the wire. backlight_on: the level that lights it; None when that is not known.
    known_as: the name of the map, "" for one that has none. width: 4 or 8.
    points: how much sense it makes. share: of the most that these pulses could give, 0 to 1.
    lead: by which share of its points the next one is behind. unsure: roles that pulses cannot say.
    """

    lines: dict[str, int]
    backlight_on: int | None
    known_as: str
    width: int
    points: float
    share: float
    lead: float = 0.0
    unsure: tuple[str, ...] = ()

    @property
    def certain(self) -> bool:
        """Whether no other assignment makes as much sense."""
        return self.share > LIKELY and self.lead > AHEAD_OF_NEXT


class Pulsed(NamedTuple):
    """The wires when E fell.

    words: their levels, without those of E. enables: for each word 1 for E, 2 for the second E.
    """

    words: list[int]
    enables: list[int]


def enables_among(states: Sequence[int], count: int) -> list[int]:
    """The wires that may be E, the likeliest first."""
    falls, alone = [0] * count, [0] * count
    for before, after in pairwise(states):
        changed = before ^ after
        fallen = changed & before
        if fallen:
            together = changed == fallen and fallen.bit_count() <= MOST_CONTROLLERS
            for wire in range(count):
                if fallen >> wire & 1:
                    falls[wire] += 1
                    alone[wire] += together
    likely = [wire for wire in range(count) if alone[wire] >= FEWEST and alone[wire] >= CLEAN * falls[wire]]
    return sorted(likely, key=lambda wire: -alone[wire])


def pulsed(states: Sequence[int], enables: Sequence[int]) -> Pulsed:
    """The states of all wires when one of those that are E fell."""
    mask = sum(1 << wire for wire in enables)
    words, which = [], []
    risen = 0  # a pulse that began before the capture is left out
    for before, after in pairwise(states):
        fallen = before & ~after & mask & risen
        risen |= after & ~before & mask
        if fallen:
            words.append(before & ~mask)
            which.append(sum(1 << place for place, wire in enumerate(enables) if fallen >> wire & 1))
    kept = _without_repeats(words)[:MOST_PULSES]
    return Pulsed([words[place] for place in kept], [which[place] for place in kept])


def _without_repeats(words: Sequence[int]) -> list[int]:
    """The places of the pulses without long repeats, as of blanks or of a busy flag that is polled.

    Of a repeated pulse, or pair of them, REPEATS are kept, and one more where that keeps pairs together.
    """
    kept: list[int] = []
    begins = 0
    for place, word in enumerate(words):
        if place < 2 or word != words[place - 2]:
            if (place - begins) % 2 and place - begins > REPEATS:
                kept.append(place - 1)
            begins = max(0, place - 1)
        if place - begins < REPEATS:
            kept.append(place)
    return kept


def find(
    states: Sequence[int], count: int, maps: Mapping[str, tuple[Mapping[str, int], int]], wide: bool = False
) -> list[Found]:
    """The likeliest assignments of the wires, the best first; none when nothing pulses.

    states: levels of all wires, a bit each, in the order in which they were.
    count: how many wires there are.
    maps: name -> (role -> wire, level that lights the backlight) of those that are known.
    wide: whether eight of them may be data lines.
    """
    candidates = enables_among(states, count)
    found: dict[tuple[tuple[str, int], ...], Found] = {}

    def take(seen: Pulsed, lines: dict[str, int], width: int, name: str = "", lit: int | None = None) -> None:
        score = _score(seen, lines, width)
        if score is not None:
            key = tuple(sorted((role, wire) for role, wire in lines.items() if role not in ("rw", "backlight")))
            one = Found(lines, lit, name, width, score.points * (AHEAD if name else 1.0), score.share)
            if key not in found or found[key].points < one.points:
                found[key] = one

    for name, (lines, lit) in maps.items():
        own = [lines[role] for role in ("e", "e2") if role in lines]
        if set(own) <= set(candidates):
            take(pulsed(states, own), dict(lines), 4, name, lit)
    for enables in _enables(candidates):
        seen = pulsed(states, enables)
        rest = [wire for wire in range(count) if wire not in enables]
        named = dict(zip(("e", "e2"), enables, strict=False))
        for lines in _wide_assignments(seen, rest) if wide else ():
            take(seen, {**lines, **named}, 8)
        if not any(one.width == 8 and one.share > LIKELY for one in found.values()):
            for lines in _assignments(seen, rest):
                take(seen, {**lines, **named}, 4)
    best = sorted(found.values(), key=lambda one: -one.points)[:MOST_FOUND]
    if not best:
        return []
    second = best[1].points if len(best) > 1 else 0.0
    return [_completed(states, count, best[0]._replace(lead=1 - second / best[0].points)), *best[1:]]


def makes_more_sense(
    states: Sequence[int], count: int, given: Mapping[str, int], width: int,
    maps: Mapping[str, tuple[Mapping[str, int], int]],
) -> Found | None:  # fmt: skip
    """An assignment that makes sense of pulses, where the one that was given makes none; else None.

    given: role -> wire. width: its data lines. The others are as for `find`.
    """
    enables = [given[role] for role in ("e", "e2") if role in given]
    score = _score(pulsed(states, enables), given, width)
    share = 0.0 if score is None else score.share
    if share >= NO_SENSE:
        return None
    found = find(states, count, maps, wide=width == 8)
    return found[0] if found and found[0].share > LIKELY else None


def _enables(candidates: list[int]) -> Iterator[list[int]]:
    """What may be E, and the second E."""
    for enable in candidates[:2]:
        yield [enable]
    if len(candidates) > 1:
        yield sorted(candidates[:2])
        yield sorted(candidates[:2], reverse=True)


def _completed(states: Sequence[int], count: int, one: Found) -> Found:
    """The same with RW and backlight, as far as pulses can say where they are."""
    lines, lit = dict(one.lines), one.backlight_on
    if one.known_as:
        backlight = lines.get("backlight")
        seen = {state >> backlight & 1 for state in states} if backlight is not None else {lit}
        return one._replace(unsure=() if lit in seen else ("backlight",))
    left = [wire for wire in range(count) if wire not in lines.values()]
    words = pulsed(states, [lines[role] for role in ("e", "e2") if role in lines]).words
    levels = {wire: {word >> wire & 1 for word in words} for wire in left}
    low = [wire for wire in left if levels[wire] == {0}]
    high = [wire for wire in left if levels[wire] == {1}]
    moving = [wire for wire in left if len(levels[wire]) > 1]
    unsure: list[str] = []
    if "rw" not in lines and len(low) == 1:
        lines["rw"] = low[0]
    if len(moving) == 1 and moving[0] not in lines.values():
        high = [*moving, *high]
    if len(high) == 1:
        lines["backlight"], lit = high[0], 1
    elif len(low) == 1 and lines.get("rw") != low[0]:
        lines["backlight"], lit = low[0], 0
    if len(low) > 1:
        unsure.append("rw")
    if "backlight" not in lines and left:
        unsure.append("backlight")
    return one._replace(lines=lines, backlight_on=lit, unsure=tuple(unsure))


def _score(seen: Pulsed, lines: Mapping[str, int], width: int) -> Score | None:
    """How much sense an assignment makes; None when it makes none from the beginning."""
    roles = [*(HALVES if width == 4 else EIGHT), "rs"]
    wires = [lines[role] for role in roles]
    rw = lines.get("rw")
    judge = score_halves if width == 4 else score_bytes
    table: dict[int, int] = {}
    # Most assignments make no sense from the beginning.
    for count in (FIRST_LOOK, MOST_PULSES):
        total = Score(0.0, 0.0)
        for stream in _streams(seen, count, wires, rw, table):
            if stream:
                one = judge(stream)
                total = Score(total.points + one.points, total.most + one.most)
        if total.points <= 0:
            return None
        if count >= len(seen.words):
            break
    return total


def _streams(
    seen: Pulsed, count: int, wires: list[int], rw: int | None, table: dict[int, int]
) -> tuple[list[int], list[int]]:
    """What each controller takes of the first pulses. table: levels of all wires -> those of some; -1 for a read."""
    streams: tuple[list[int], list[int]] = [], []
    for word, which in zip(seen.words[:count], seen.enables, strict=False):
        value = table.get(word)
        if value is None:
            value = 0
            for place, wire in enumerate(wires):
                value |= (word >> wire & 1) << place
            value = table[word] = -1 if rw is not None and word >> rw & 1 else value
        if value >= 0:
            if which & 1:
                streams[0].append(value)
            if which & 2:
                streams[1].append(value)
    return streams


def _assignments(seen: Pulsed, rest: list[int]) -> Iterator[dict[str, int]]:
    """All assignments of four data lines, RS and, where a wire may be that, RW."""
    varying = _varying(seen, rest)
    # A data line or RS that never changes in a whole start-up is none.
    choice = varying if len(varying) >= 5 else rest
    if len(choice) > MOST_TRIED:
        return
    for rs, *data in permutations(choice, 5):
        yield from _with_rw(seen, {"rs": rs, **dict(zip(HALVES, data, strict=True))}, varying)


def _varying(seen: Pulsed, rest: list[int]) -> list[int]:
    return [wire for wire in rest if len({word >> wire & 1 for word in seen.words}) > 1]


def _wide_assignments(seen: Pulsed, rest: list[int]) -> Iterator[dict[str, int]]:
    """Assignments of eight data lines under which the first pulse is a function set for 8 bits."""
    varying = _varying(seen, rest)
    if len(varying) < 9:
        return
    first = seen.words[0]
    for rs in varying:
        others = [wire for wire in varying if wire != rs]
        ones = [wire for wire in others if first >> wire & 1]
        zeros = [wire for wire in others if not first >> wire & 1]
        if first >> rs & 1 or not 2 <= len(ones) <= MOST_ONES:
            continue
        single, double = _bits_of_first(seen, rs, others)
        for d5, d4 in permutations(ones, 2):
            more = [wire for wire in ones if wire not in (d4, d5)]
            for d3 in more or zeros:
                left = [wire for wire in zeros + more if wire != d3]
                for d0 in [wire for wire in left if wire in single] or left:
                    pairs = [wire for wire in left if wire != d0]
                    for d2, d1 in permutations([wire for wire in pairs if wire in double] or pairs, 2):
                        for d7, d6 in permutations([wire for wire in pairs if wire not in (d1, d2)], 2):
                            data = d0, d1, d2, d3, d4, d5, d6, d7
                            yield from _with_rw(seen, dict(zip((*EIGHT, "rs"), (*data, rs), strict=True)), varying)


def _bits_of_first(seen: Pulsed, rs: int, wires: list[int]) -> tuple[set[int], set[int]]:
    """The wires that are 1 by themselves in one of the first instructions (as D0 is in clear display), and in pairs."""
    single, double = set(), set()
    for word in [word for word in seen.words if not word >> rs & 1][:FIRST_LOOK]:
        high = [wire for wire in wires if word >> wire & 1]
        if len(high) == 1:
            single.add(high[0])
        elif len(high) == 2:
            double.update(high)
    return single, double


def _with_rw(seen: Pulsed, lines: dict[str, int], wires: list[int]) -> Iterator[dict[str, int]]:
    """The same assignment, and those with RW on a wire that is left.

    While it is read, a host does not drive the data lines, so that not all are 0.
    """
    yield lines
    data = sum(1 << wire for role, wire in lines.items() if role != "rs")
    for wire in wires:
        if wire not in lines.values() and all(word & data for word in seen.words if word >> wire & 1):
            yield {**lines, "rw": wire}
