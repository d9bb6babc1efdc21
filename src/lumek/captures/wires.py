"""Which wires of a capture lead where: by their names, as they are given, or by what they do.

*By what they do.* Two wires are an I2C bus when whole, acknowledged bytes between starts and stops come of them. Three
lead to a shift register when one of them rises after every eighth rise of another. What is left may be the pins of a
panel.
"""

from collections.abc import Iterable, Iterator, Mapping
from itertools import islice, pairwise, permutations
from typing import NamedTuple

from lumek._harmless import quoted
from lumek.captures.capture_source import CaptureSource
from lumek.captures.chips import CLOCK_WIRE, DATA_WIRE, LATCH_WIRE
from lumek.captures.i2c import ADDRESS, BROKEN, BYTE, SCL, SDA, START, STOP, on_bus
from lumek.captures.pulses import ROLES
from lumek.errors import CaptureError

BUS, REGISTER, PINS = "bus", "register", "pins"

WORDS: Mapping[str, dict[str, int]] = {
    BUS: {"scl": SCL, "sda": SDA},
    REGISTER: {"data": DATA_WIRE, "clock": CLOCK_WIRE, "latch": LATCH_WIRE},
}
"""Kind of a group: its wires, and their bits in a word."""

SYNONYMS = {"en": "e", "enable": "e", "r/w": "rw", "bl": "backlight", "light": "backlight", "ser": "data",
            "mosi": "data", "srclk": "clock", "sclk": "clock", "sck": "clock", "rclk": "latch", "cs": "latch",
            "ss": "latch",
            **{f"db{bit}": f"d{bit}" for bit in range(8)}}  # fmt: skip
"""Other names of roles and wires, as data sheets and programs have them."""

LOOKED_AT, FIRST_LOOK = 20_000, 3000
"""Samples by which a kind is found out, and by which most wires are given up."""

LEAST_CLOCKS = 18

MOST_WIRES = 16

NEEDED = {"rs", "e", "d4", "d5", "d6", "d7"}

FEWEST_BYTES, FEWEST_LATCHES = 3, 8

PURE = 0.9


class Group(NamedTuple):
    """Wires that belong together.

    kind: BUS, REGISTER or PINS. wires: role -> name of the wire; of PINS whose roles are not known name -> name.
    found: whether that was found out by what they do. name: of the group, "" for the only one.
    """

    kind: str
    wires: dict[str, str]
    found: bool = False
    name: str = ""

    @property
    def known(self) -> bool:
        """Whether it is known what each wire is."""
        return self.kind != PINS or self.wires.keys() >= NEEDED


def groups(source: CaptureSource, lines: Mapping[str, str]) -> list[Group]:
    """The groups of wires in a capture; where nothing names them, what they may be, each by itself (`found`).

    lines: role -> name of a wire, as they were given; none for what their names say, or what they do.
    Raises CaptureError when a wire does not exist, or nothing is found.
    """
    if lines:
        return [_given(source, lines)]
    named = list(_named(source.names))
    if named:
        return named
    if len(source.names) > MOST_WIRES:
        raise CaptureError(
            f"{source.name} has {len(source.names)} wires, too many to try: say which are the panel's, as --lines "
            "rs=D0,e=D1,d4=D2,d5=D3,d6=D4,d7=D5 or --lines scl=D0,sda=D1"
        )
    return list(_by_deeds(source))


def _given(source: CaptureSource, lines: Mapping[str, str]) -> Group:
    for name in lines.values():
        if name not in source.names:
            there = ", ".join(source.names[:MOST_WIRES])
            raise CaptureError(f"{source.name} has no wire {quoted(name)}: it has {quoted(there, 400)}")
    roles = {SYNONYMS.get(role.lower(), role.lower()): name for role, name in lines.items()}
    for kind, wires in WORDS.items():
        if roles.keys() == wires.keys():
            return Group(kind, roles)
    unknown = [role for role in roles if role not in ROLES]
    if unknown or not roles.keys() >= NEEDED:
        what = f"{quoted(unknown[0])} is not a role" if unknown else "the wires of a panel are rs, e, and d4 to d7"
        raise CaptureError(
            f"{what}: give scl and sda; data, clock and latch; or {', '.join(ROLES)}, of which rs, e and d4 to d7 are "
            "needed"
        )
    return Group(PINS, roles)


def _named(names: Iterable[str]) -> Iterator[Group]:
    """The groups that names say; what is before a dot, or the name of a panel before a role, keeps groups apart."""
    scopes: dict[str, dict[str, str]] = {}
    for name in names:
        scope, _, own = name.rpartition(".")
        own = own.lower()
        scopes.setdefault(scope, {})[SYNONYMS.get(own, own)] = name
    for scope, wires in scopes.items():
        for kind, needed in WORDS.items():
            if needed.keys() <= wires.keys():
                yield Group(kind, {role: wires[role] for role in needed}, name=scope)
        pins = {role: name for role, name in wires.items() if role in ROLES}
        if pins.keys() >= NEEDED:
            yield Group(PINS, pins, name=scope)
        else:
            yield from _of_several(wires, pins, scope)


def _of_several(wires: Mapping[str, str], shared: Mapping[str, str], scope: str) -> Iterator[Group]:
    """Panels that share wires: each has the others by its own name, as left_e."""
    panels = sorted({role.removesuffix("_e") for role in wires if role.endswith("_e")})
    for panel in panels:
        own = {role: name for role in ROLES if (name := wires.get(f"{panel}_{role}")) is not None}
        both = {**shared, **own}
        if both.keys() >= NEEDED:
            yield Group(PINS, both, name=f"{scope}.{panel}" if scope else panel)


def _by_deeds(source: CaptureSource) -> Iterator[Group]:
    """What the wires may be, the likeliest first."""
    every = {name: 1 << place for place, name in enumerate(source.names)}
    samples = [(at, word & 0xFFFF) for at, word in islice(source.samples(every, 0xFFFF), LOOKED_AT)]
    edges = _edges(samples, every)
    first = samples[:FIRST_LOOK]
    best: tuple[int, dict[str, str]] = (0, {})
    for scl, sda in permutations(source.names, 2):
        if edges[scl] >= max(LEAST_CLOCKS, edges[sda]) and _bytes_on(first, every[scl], every[sda]):
            count = _bytes_on(samples, every[scl], every[sda])
            if count > best[0]:
                best = count, {"scl": scl, "sda": sda}
    if best[0] >= FEWEST_BYTES:
        yield Group(BUS, best[1], True)
    for clock, latch in permutations(source.names, 2):
        if edges[clock] > 2 * edges[latch] and _latched(first, every[clock], every[latch]):
            others = [name for name in source.names if name not in (clock, latch)]
            data = max(others, key=lambda name: edges[name], default=None)
            if data is not None:
                yield Group(REGISTER, {"data": data, "clock": clock, "latch": latch}, True)
    yield Group(PINS, {name: name for name in source.names}, True)


def _bytes_on(samples: list[tuple[int, int]], scl: int, sda: int) -> int:
    """Acknowledged bytes that come of two wires as SCL and SDA; 0 when it makes no bus."""
    counts = dict.fromkeys((START, ADDRESS, BYTE, STOP, BROKEN), 0)
    acknowledged = 0
    words = ((at, (SCL if word & scl else 0) | (SDA if word & sda else 0)) for at, word in samples)
    for one in on_bus(words):
        counts[one.kind] += 1
        acknowledged += one.kind in (ADDRESS, BYTE) and one.acknowledged
    clean = counts[BROKEN] <= (1 - PURE) * counts[START] and counts[ADDRESS] >= PURE * counts[START] - 1
    return acknowledged if clean and counts[STOP] >= PURE * counts[START] - 1 else 0


def _latched(samples: list[tuple[int, int]], clock: int, latch: int) -> bool:
    """Whether a wire rises after every eighth rise of another."""
    latches = right = count = 0
    for (_, before), (_, word) in pairwise(samples):
        risen = word & ~before
        count += bool(risen & clock)
        if risen & latch:
            latches += 1
            right += count == 8
            count = 0
    return latches >= FEWEST_LATCHES and right >= PURE * latches


def _edges(samples: list[tuple[int, int]], wires: Mapping[str, int]) -> dict[str, int]:
    """How often each wire changes."""
    counts = dict.fromkeys(wires, 0)
    for (_, before), (_, word) in pairwise(samples):
        for name, mask in wires.items():
            counts[name] += (before ^ word) & mask != 0
    return counts
