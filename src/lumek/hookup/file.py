"""Reading a hookup file: from TOML to tables, or to one error that names the mistake."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from lumek._harmless import quoted
from lumek.config.tables import Tables, file_text, nearest
from lumek.errors import HookupError
from lumek.hookup.boards import Board, listed
from lumek.hookup.model import HostTable, ModuleTable
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable

FILE = "hookup file"

ONLY = "panel"
"""The name of the one panel in a file that names none."""

LONGEST_NAME, MOST_PANELS = 64, 64
"""Characters of the name of a panel, and panels of a file."""

FACE_TABLES = ("deck", "sources", "probes", "glyphs", "faces", "light", "log", "messages", "broker")
"""Tables in the same file for what the panel shows; see `lumek.faces.file`."""

NOT_ON_A_BOARD = {
    ("hookup", "chip"): "leave it out", ("backlight", "chip"): "leave it out",
    ("hookup", "spi"): "use serial = { data = 5, clock = 6, latch = 7 }", ("backlight", "pwm"): "use a line",
    ("backlight", "led"): "use a line", ("contrast", "pwm"): "use a potentiometer", ("hookup", "bus"): "leave it out",
}  # fmt: skip
"""Table and key that a panel on a board on USB cannot have: what to do instead."""


@dataclass(frozen=True)
class Hookup:
    """What a hookup file says.

    source: the file.
    host: its [host], if it has one.
    panels: name -> module; "panel" is the only one of a file that names none.
    """

    source: str
    host: HostTable | None
    panels: Mapping[str, ModuleTable]

    @property
    def board(self) -> str | None:
        """The port of the board or chip on USB that is the host, else the name of a board; None for this computer."""
        return (self.host.port or self.host.board) if self.host is not None else None

    @property
    def known_board(self) -> Board | None:
        """What is known of the board that is the host, if it is one that is named."""
        return self.host.known_board if self.host is not None else None

    @property
    def board_words(self) -> str:
        """The board or chip that is the host, in words; "" where it is this computer."""
        if self.known_board is not None:
            return f"the {self.known_board.title}"
        return f"the {self.board_kind} at {self.board}" if self.board else ""

    @property
    def board_kind(self) -> str:
        """What that is, in words: "board" or "FTDI chip"."""
        return "FTDI chip" if self.host is not None and self.host.kind == "ftdi" else "board"

    def only(self, name: str) -> "Hookup":
        """The same with one of its panels. Raises HookupError when there is none of that name."""
        if name not in self.panels:
            there = ", ".join(repr(one) for one in self.panels)
            raise HookupError(f"{self.source} has no panel {quoted(name)}{nearest(name, self.panels)}: it has {there}")
        return Hookup(self.source, self.host, {name: self.panels[name]})


def read(file: str | Path) -> Hookup:
    """Read a hookup file.

    Raises HookupError, one line that names file, table and key, when it cannot be read or says what is not possible.
    `lumek.hookup.checks.check` finds whether it can work.
    """
    path = Path(file)
    return parse(file_text(path, FILE, f"'lumek hookup new {path}' writes one", HookupError), str(path))


def parse(text: str, source: str) -> Hookup:
    """What the text of a hookup file says; `source` names it in errors. Raises HookupError."""
    tables = Tables(text, source, FILE, HookupError)
    raw = tables.raw
    named = "panels" in raw
    if named and (both := [name for name in ("panel", *ModuleTable.own_tables) if name in raw]):
        raise HookupError(f"{source} has both [panels] and [{both[0]}]: with [panels.NAME] each panel has its own")
    tables.refuse_unknown([*(["panels"] if named else ["panel", *ModuleTable.own_tables]), "host", *FACE_TABLES])
    host = tables.checked(HostTable, raw["host"], "host", "host.") if "host" in raw else None
    if named:
        modules = {name: (table, f"panels.{name}", f"panels.{name}.") for name, table in raw["panels"].items()}
        for name in modules:
            if not name.isprintable() or not 0 < len(name) <= LONGEST_NAME:
                raise HookupError(
                    f"{source}: a panel's name is 1 to {LONGEST_NAME} printable characters, not {quoted(name)}"
                )
        if len(modules) > MOST_PANELS:
            raise HookupError(f"{source}: [panels] has {len(modules)} tables, and at most {MOST_PANELS} are read")
        if not modules:
            raise HookupError(f"{source}: [panels] is empty: give each panel its table, as [panels.left]")
    else:
        if "panel" not in raw:
            raise HookupError(f"{source} needs the table [panel], with at least size = '20x4', or [panels.NAME]")
        own = {name: raw[name] for name in ModuleTable.own_tables if name in raw}
        modules = {ONLY: ({**raw["panel"], **own}, "panel", "")}
    panels = {}
    for name, (table, title, prefix) in modules.items():
        panels[name] = _placed(tables.checked(ModuleTable, table, title, prefix), host, f"{source}: [{prefix}")
    return Hookup(source, host, panels)


def _placed(module: ModuleTable, host: HostTable | None, place: str) -> ModuleTable:
    """A module on its host: its bus must be said; where the host is a board on USB, its lines are that board's pins.

    place: how an error begins, up to the name of a table. Raises HookupError for what such a board does not have.
    """
    wiring, light = module.hookup, module.backlight
    if host is None or (host.port is None and host.board is None):
        if isinstance(wiring, BackpackTable) and "bus" not in wiring.model_fields_set:
            raise HookupError(f"{place}hookup] needs the key 'bus': the number N of the I2C bus /dev/i2c-N")
        return module
    tables = {"hookup": wiring, "backlight": light, "contrast": module.contrast}
    said = f"port = {quoted(host.port)}, a board on USB" if host.port else f"board = {quoted(host.board)}"
    for (table, key), instead in NOT_ON_A_BOARD.items():
        if key in tables[table].model_fields_set:
            raise HookupError(f"{place}{table}] has {key}, but [host] has {said}, whose lines are its pins: {instead}")
    chip = {"chip": host.port or host.board}
    if host.known_board is not None:
        _check_pins(module, host.known_board, place)
    if not isinstance(wiring, BackpackTable):
        wiring = wiring.model_copy(update=chip)
    return module.model_copy(update={"hookup": wiring, "backlight": light.model_copy(update=chip)})


def _check_pins(module: ModuleTable, board: Board, place: str) -> None:
    """Raise HookupError for a line that is not a pin of the board, or one that cannot be an output."""
    wiring, light = module.hookup, module.backlight
    used = {f"hookup] has {role}": line for role, line in wiring.roles.items() if isinstance(wiring, DirectTable)}
    if isinstance(wiring, RegisterTable) and wiring.serial:
        used |= {f"hookup.serial] has {role}": line for role, line in wiring.serial.roles.items()}
    if light.line is not None:
        used["backlight] has line"] = light.line
    for what, line in used.items():
        pin = board.pin(line)
        if pin is None:
            raise HookupError(
                f"{place}{what} = {quoted(line)}, which is not a pin of {board.named}"
                f"{nearest(str(line), board.pins)}: it has {listed(board.pins)}"
            )
        if pin in board.input_only:
            raise HookupError(f"{place}{what} = {quoted(line)}, which {board.named} can only read: take another pin")
