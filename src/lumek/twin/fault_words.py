"""The faults that there are on the simulated panel, and the words by which one is asked for."""

import random
from dataclasses import dataclass, field

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.twin.pins import PINS

EVENTS = {
    "no-answer": "a transfer is not acknowledged, or breaks off",
    "bit-flip": "one bit of a byte on the bus, or of a level on its way to the panel, is turned",
    "lost-byte": "a byte on the bus does not arrive",
    "doubled-byte": "a byte on the bus arrives twice",
    "swapped-bytes": "two bytes on the bus change places",
    "wire-flip": "a level on its way from expander or host to the panel is turned",
    "lost-pulse": "a pulse of E does not arrive",
    "extra-pulse": "a stray pulse of E arrives",
    "brown-out": "the panel, but not what drives it, loses its supply for a moment",
    "slow-brown-out": "the same, and the supply rises too slowly for the internal reset",
    "second-master": "another program writes to the expander",
}
"""Faults of a moment."""

STATES = {
    "unplugged": "nothing is there: no supply, no answer",
    "stuck": "a wire keeps a level whatever is driven: stuck d5 0",
    "swapped": "two wires are swapped: swapped d4 d5",
    "open": "a wire is off: open d6",
    "no-pull-up": "the bus has no pull-ups: its lines never rise",
    "swapped-bus": "SDA and SCL are swapped",
    "stretched": "the expander holds the clock low for a while after each byte",
    "slow-oscillator": "the oscillator runs at 110 kHz, below any genuine part",
    "strict-nibbles": "it ignores data while it is busy, even the first half of a byte; set cautious on a fast bus",
    "wrong-rom": "the panel has the other ROM",
    "contrast-low": "too little contrast",
    "contrast-high": "too much contrast",
    "stuck-flag": "the busy flag never clears",
}
"""Faults that last."""

PINS_OF = {"stuck": (1, True), "swapped": (2, False), "open": (1, False)}
"""Fault: how many pins it names, and whether a level follows."""

UNITS = {"us": 1e-6, "ms": 1e-3, "s": 1.0, "min": 60.0, "h": 3600.0}


@dataclass(eq=False)
class Fault:
    """A fault that was asked for.

    text: the words. kind: what it is; pins, level: of wires.
    every_s: seconds from one occurrence to the next, or None. for_s: how long a state lasts, or None for ever.
    after: bytes, pulses of E or levels that go through before an event; None for a number by chance.
    next_s: when it is to happen next, by the clock of its `Faults`. until_s: when a state that there is now ends.
    wait: how many bytes, pulses or levels are left before an event that is due. count: how often it has happened.
    """

    text: str
    kind: str
    pins: tuple[str, ...] = ()
    level: int = 0
    every_s: float | None = None
    for_s: float | None = None
    next_s: float | None = 0.0
    until_s: float | None = None
    chance: random.Random = field(default_factory=random.Random)
    after: int | None = None
    wait: int | None = None
    count: int = 0

    @property
    def lasts(self) -> bool:
        """Whether it is a state."""
        return self.kind in STATES


def fault_of(text: str) -> Fault:
    """The fault that words mean. Raises SettingError."""
    words = text.replace(",", " ").split()
    kind = words.pop(0) if words else ""
    if kind not in EVENTS and kind not in STATES:
        raise SettingError(f"there is no fault {quoted(kind)}: faults are {', '.join([*EVENTS, *STATES])}")
    fault = Fault(text, kind)
    count, leveled = PINS_OF.get(kind, (0, False))
    pins, words = words[:count], words[count:]
    known = (*PINS, "e2", "backlight")
    if len(pins) < count or any(pin not in known for pin in pins) or len({*pins}) < count:
        raise SettingError(
            f"{quoted(text)}: {kind} needs {'two pins' if count > 1 else 'a pin'}, as in '{kind} "
            f"{' '.join(('d4', 'd5')[:count])}'"
        )
    fault.pins = tuple(pins)
    if leveled:
        if words[:1] not in (["0"], ["1"]):
            raise SettingError(f"{quoted(text)}: {kind} needs a level, 0 or 1, as in 'stuck d5 0'")
        fault.level = int(words.pop(0))
    while words:
        which = words.pop(0)
        if which == "after" and not fault.lasts and words and words[0].isdecimal() and len(words[0]) < 10:
            fault.after = int(words.pop(0))
            continue
        if which not in ("at", "every", "for"):
            raise SettingError(
                f"{quoted(text)}: what is {quoted(which)}? Say 'at', 'every' or 'for' and a time, or 'after' "
                "and a number"
            )
        seconds, words = _seconds(text, words)
        setattr(fault, {"at": "next_s", "every": "every_s", "for": "for_s"}[which], seconds)
    if fault.for_s is not None and not fault.lasts:
        raise SettingError(f"{quoted(text)}: {kind} is over at once: leave 'for' out, or say 'every'")
    if fault.every_s is not None and fault.lasts and (fault.for_s is None or fault.for_s >= fault.every_s):
        raise SettingError(f"{quoted(text)}: say with 'for' how long it lasts each time, less than 'every'")
    return fault


def _seconds(text: str, words: list[str]) -> tuple[float, list[str]]:
    """A time at the head of words, as "2 s" or "500ms"; and the words after it."""
    number = words[0].rstrip("abcdefghijklmnopqrstuvwxyz") if words else ""
    unit = words[0][len(number) :] if words else ""
    rest = words[1:]
    if not unit and rest and rest[0] in UNITS:
        unit, rest = rest[0], rest[1:]
    try:
        seconds = float(number) * UNITS[unit or "s"]
    except (ValueError, KeyError):
        seconds = -1.0
    if not 0 <= seconds < 1e8:
        raise SettingError(f"{quoted(text)}: a time is written as '2 s', '500 ms' or '5 min'")
    return seconds, rest
