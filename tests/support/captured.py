"""Panels whose wires are recorded while they are used, wired in every way that a hookup file can say."""

from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from hypothesis import strategies as st

import lumek
from lumek import Panel
from lumek.captures import Capture
from lumek.captures.seen_panel import SeenPanel
from lumek.captures.vcd_file import VcdFile
from lumek.core.instructions import clear_display, return_home, shift_display
from lumek.twin import Twin

NEEDED = ["rs", "e", "d4", "d5", "d6", "d7"]

TEXT = st.text(st.sampled_from("Hive 3 41.4kg,°♥🐝①→αüx\n"), max_size=45)

RAW = st.sampled_from((clear_display(), return_home(), shift_display(True), 0x14, 0x07, 0x06, 0x0F, 0x48, 0x80, 0xC3))


@st.composite
def hookups(draw: st.DrawFn, sizes: tuple[str, ...] = ("16x2", "20x4", "16x1", "8+8x1", "40x4")) -> str:
    """A hookup file."""
    size = draw(st.sampled_from(sizes))
    kind = draw(st.sampled_from(("backpack", "direct", "shift-register")))
    optional = ["e2"] if size == "40x4" else ["rw"] if kind != "shift-register" and draw(st.booleans()) else []
    roles = [*NEEDED, *optional, *["backlight"] * draw(st.booleans())]
    if kind == "direct":
        roles += ["d0", "d1", "d2", "d3"] * draw(st.booleans())
    numbers = draw(st.permutations(range(8 if kind != "direct" else 24)))
    lines = ", ".join(f"{role} = {number}" for role, number in zip(roles, numbers, strict=False))
    leads = draw(st.sampled_from(("spi = [0, 0]", "serial = { data = 5, clock = 27, latch = 22 }")))
    more = {"backpack": "", "direct": "chip = '/dev/gpiochip0'", "shift-register": leads}[kind]
    if kind == "backpack":
        expander, address = draw(st.sampled_from((("pcf8574", 0x27), ("pcf8574a", 0x3D), ("mcp23008", 0x21))))
        hz = draw(st.sampled_from((100_000, 400_000)))
        more = f"bus = 1\naddress = {address}\nexpander = '{expander}'\nbus_hz = {hz}"
    return (
        f"[panel]\nsize = '{size}'\n[hookup]\nkind = '{kind}'\n{more}\nlines = {{ {lines} }}\n"
        f"backlight_on = {draw(st.integers(0, 1))}\n"
    )


@st.composite
def uses(draw: st.DrawFn) -> list[tuple[str, Any]]:
    """What a program does with a panel."""
    one = st.one_of(
        st.tuples(st.just("text"), st.tuples(st.integers(0, 3), st.integers(0, 15), TEXT)),
        st.tuples(st.just("slide"), st.integers(-3, 3)),
        st.tuples(
            st.just("cursor"), st.tuples(st.integers(0, 3), st.integers(0, 15), st.sampled_from(("underline", None)))
        ),
        st.tuples(st.just("leftward"), st.booleans()),
        st.tuples(st.just("visible"), st.booleans()),
        st.tuples(st.sampled_from(("send", "send to the last")), RAW),
        st.tuples(st.sampled_from(("data", "data to the last")), st.binary(min_size=1, max_size=4)),
        st.tuples(st.just("refresh"), st.none()),
        st.tuples(st.just("wait"), st.none()),
    )
    return draw(st.lists(one, min_size=1, max_size=12))


def use(panel: Panel, what: str, value: Any) -> None:
    """Do one thing of `uses`."""
    if what == "text":
        row, column, text = value
        panel[row % panel.shape[0], column % panel.shape[1] :] = text.replace("\n", " ")
    elif what == "cursor":
        row, column, shape = value
        panel.cursor, panel.cursor_shape = (row % panel.shape[0], column % panel.shape[1]), shape
    elif what == "slide":
        panel.slide(value)
    elif what in ("leftward", "visible"):
        setattr(panel, what, value)
    elif what.startswith(("send", "data")):
        act, last = panel.send if what.startswith("send") else panel.send_data, len(panel.twin.controllers) - 1
        act(value, controller=last if what.endswith("last") else 0)
    elif what == "refresh":
        panel.refresh()
    else:
        panel.twin.port.wait_us(3000)


class Captured:
    """A panel of a hookup file, simulated and recorded. In a `with` block: `file` is the capture, once it is closed."""

    def __init__(self, hookup: str) -> None:
        self._folder = TemporaryDirectory()
        self.folder = Path(self._folder.name)
        self.hookup, self.file = self.folder / "hive.toml", self.folder / "wires.vcd"
        self.hookup.write_text(hookup, encoding="utf-8")

    def __enter__(self) -> "Captured":
        return self

    def __exit__(self, *exc: object) -> None:
        self._folder.cleanup()

    def run(self, doings: list[tuple[str, Any]]) -> Panel:
        """Use the panel, and close the capture."""
        with Capture(self.file) as capture:
            panel = lumek.attach(self.hookup, twin=True, capture=capture)
            for what, value in doings:
                use(panel, what, value)
        return panel


def state(chip: Any) -> tuple:
    """All that a controller has."""
    return (
        bytes(chip.ddram), bytes(chip.cgram), chip.shift, chip.resting_address, chip.in_cgram, chip.on, chip.underline,
        chip.blink, chip.two_lines, chip.increment, chip.shift_on_write, chip.eight_bit,
    )  # fmt: skip


def samples_of(file: Path, undriven: int = 0xFFFF) -> tuple[list[str], list[tuple[int, int]]]:
    """The names of the wires of a VCD file, and its samples: a bit of the word for each of them."""
    source = VcdFile(file)
    every = {name: 1 << place for place, name in enumerate(source.names)}
    return source.names, [(at, word & 0xFFFF) for at, word in source.samples(every, undriven)]


def table_of(
    vcd: Path,
    names: Callable[[int, str], str] = lambda number, name: name,
    head: str = "Time [s]",
    time: Callable[[int], str] = lambda at: f"{at / 1e9:.9f}",
    between: str = ",",
) -> Path:
    """The same capture as a table, a column for each wire."""
    wires, samples = samples_of(vcd)
    lines = [between.join([head, *(names(number, name) for number, name in enumerate(wires))])]
    for at, word in samples:
        lines.append(between.join([time(at), *(str(word >> place & 1) for place in range(len(wires)))]))
    file = vcd.with_suffix(".csv")
    file.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return file


def check_what_is_sure(seen: SeenPanel, twin: Twin) -> None:
    """Nothing that a decoded panel says is known is otherwise on the simulated one."""
    codes = twin.cells
    cgram = [bytes(chip.cgram) for chip in twin.controllers]
    for row, told in enumerate(seen.known()):
        for column, sure in enumerate(told):
            if sure:
                code = seen.view(0).cells[row][column]
                assert code == codes[row][column], (row, column)
                if code < 16:
                    follower = seen.followers[row * len(seen.followers) // len(codes)]
                    number = seen.followers.index(follower)
                    at = code % 8 * 8
                    assert bytes(follower.chip.cgram[at : at + 8]) == cgram[number][at : at + 8]
    for follower, chip in zip(seen.followers, twin.controllers, strict=True):
        if not follower.sure:
            continue
        known, own = follower.known, follower.chip
        pairs = {
            "lines": (own.two_lines, chip.two_lines), "increment": (own.increment, chip.increment),
            "scrolls": (own.shift_on_write, chip.shift_on_write), "shift": (own.shift, chip.shift),
            "control": ((own.on, own.underline, own.blink), (chip.on, chip.underline, chip.blink)),
            "address": ((own.resting_address, own.in_cgram), (chip.resting_address, chip.in_cgram)),
        }  # fmt: skip
        for what, (got, true) in pairs.items():
            assert got == true or not getattr(known, what), what
        for address in range(128):
            assert own.ddram[address] == chip.ddram[address] or not follower.known.ddram[address]
