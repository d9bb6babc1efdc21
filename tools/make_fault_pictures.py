"""Wrong wiring and what a panel then shows: python tools/make_fault_pictures.py draws docs/faults/*.png.

Each fault is made on the simulated panel, whose wiring differs from what the program believes, and nothing but the
simulation decides what is seen.
"""

from collections.abc import Callable
from pathlib import Path

from lumek import Backpack, Direct, Panel
from lumek.twin import Twin, backpack_twin, direct_twin
from lumek.views.picture import save_picture

FOLDER = Path(__file__).parents[1] / "docs" / "faults"
TEXT = "Hive 3     14:20\n41.4 kg   34.8°C"
LINES = {"rs": 10, "e": 9, "d4": 12, "d5": 16, "d6": 20, "d7": 21}
EIGHT = {**LINES, "d0": 2, "d1": 3, "d2": 4, "d3": 17}
BOARD = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
OTHER_BOARD = {"rs": 6, "rw": 5, "e": 4, "backlight": 7, "d4": 0, "d5": 1, "d6": 2, "d7": 3}
CROSSED_BOARD = {**BOARD, "d5": 6, "d6": 5}


def never_started() -> Twin:
    """Supply and backlight are on, and no program has spoken to the panel."""
    return backpack_twin("16x2")[0]


def without(lines: dict[str, int], pin: str) -> dict[str, int]:
    """The same lines but for one, whose wire is off."""
    return {other: line for other, line in lines.items() if other != pin}


def wired(lines: dict[str, int], believed: dict[str, int] = LINES, rw_open: bool = False) -> Twin:
    """A panel on GPIO lines as `lines` say, for a program that goes by those it believes in."""
    twin, port = direct_twin("16x2", lines)
    if rw_open:
        twin.set_pins({"rw": None}, port.clock.now_ns)
    data = [believed[pin] for pin in sorted(believed) if pin[0] == "d"]
    panel = Panel("16x2", Direct(port, rs=believed["rs"], e=believed["e"], data=data))
    panel[:] = TEXT
    return twin


def boarded(lines: dict[str, int], backlight_on: int = 1) -> Twin:
    """A panel on a board as `lines` and `backlight_on` say, for a program that believes in BOARD."""
    twin, bus = backpack_twin("16x2", lines=lines, backlight_on=backlight_on)
    panel = Panel("16x2", Backpack(bus))
    panel[:] = TEXT
    return twin


def out_of_step() -> Twin:
    """Something touched E once after the panel was started, and the halves of bytes are mistaken from then on."""
    twin, bus = backpack_twin("16x2")
    panel = Panel("16x2", Backpack(bus))
    panel[0] = TEXT
    bus.write(0x27, b"\x08\x0c\x08")
    panel[:] = "41.5 kg\nHive 3     14:21"
    return twin


def with_contrast(contrast: float) -> Twin:
    """A panel that is well wired, with the potentiometer at one end."""
    twin = boarded(BOARD)
    twin.contrast = contrast
    return twin


def wrong_size() -> Twin:
    """A program for 20x4 on a 16x4 panel."""
    twin, bus = backpack_twin("16x4")
    panel = Panel("20x4", Backpack(bus))
    panel[:] = "Hive 3\nTerrace, east\nWeight  41.4 kg\nBrood   34.8°C"
    return twin


FAULTS: dict[str, tuple[str, Callable[[], Twin]]] = {
    "right": ("nothing is wrong", lambda: wired(LINES)),
    "never-started": ("the program has not started the panel", never_started),
    "enable-missing": ("the wire of E is off", lambda: wired(without(LINES, "e"))),
    "rw-open": ("RW is neither grounded nor driven", lambda: wired(LINES, rw_open=True)),
    "data-swapped": (
        "of eight data wires those of D4 and D5 are swapped",
        lambda: wired({**EIGHT, "d4": 16, "d5": 12}, EIGHT),
    ),
    "data-swapped-of-four": (
        "of four data wires those of D6 and D7 are swapped",
        lambda: wired({**LINES, "d6": 21, "d7": 20}),
    ),
    "data-missing": ("of eight data wires that of D1 is off", lambda: wired(without(EIGHT, "d1"), EIGHT)),
    "data-missing-of-four": ("of four data wires that of D5 is off", lambda: wired(without(LINES, "d5"))),
    "polarity-wrong": ("the board lights its backlight with a 0, and `backlight_on` says 1", lambda: boarded(BOARD, 0)),
    "map-nothing": ("another board than `lines` say", lambda: boarded(OTHER_BOARD)),
    "map-garbage": ("a board on which D5 and D6 are not where `lines` say", lambda: boarded(CROSSED_BOARD)),
    "out-of-step": ("a disturbance was taken for half a byte", out_of_step),
    "size-wrong": ("the program says 20x4, and the panel is a 16x4", wrong_size),
    "contrast-low": ("the contrast is turned down", lambda: with_contrast(0.1)),
    "contrast-high": ("the contrast is turned up", lambda: with_contrast(0.9)),
}
"""Name of the picture: (what is wrong, the panel as it then is)."""


def main() -> None:
    """Draw all pictures."""
    FOLDER.mkdir(exist_ok=True)
    for name, (_, make) in FAULTS.items():
        save_picture(make(), FOLDER / f"{name}.png")


if __name__ == "__main__":
    main()
