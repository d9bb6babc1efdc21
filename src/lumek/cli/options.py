"""Options that mean the same in every command, and what comes of them."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from lumek._files import replacing
from lumek._harmless import quoted
from lumek.links.expanders import address_ranges, at_address

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture
    from lumek.twin import Twin

Function = TypeVar("Function", bound=Callable[..., Any])


def whole_number(text: str) -> int:
    """A whole number, decimal or with 0x before it; a usage error for anything else."""
    try:
        return int(text, 0)
    except ValueError:
        raise click.BadParameter(f"{text!r} is not a number: write it as 39 or 0x27") from None


def board_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """--port and --firmware, for a board or a chip on USB."""

    def matching(context: click.Context, _: click.Parameter, firmware: str | None) -> str | None:
        port = context.params.get("port")
        if firmware is not None and port is None:
            raise click.UsageError("--firmware needs --port, as --port /dev/ttyACM0")
        if firmware is not None and is_ftdi(port):
            raise click.UsageError(f"--firmware is for boards, and {quoted(port)} is an FTDI chip: leave it out")
        return firmware

    function = click.option(
        "--firmware", type=click.Choice(("firmata", "micropython")), callback=matching,
        help="What is on that board (default: firmata).",
    )(function)  # fmt: skip
    on_usb = "A microcontroller board on USB, by its serial port; or an FTDI chip, as ftdi://ftdi:232h/1."
    return click.option("--port", metavar="PORT", is_eager=True, help=on_usb)(function)


def is_ftdi(port: str | None) -> bool:
    """Whether what is given as --port is an FTDI chip."""
    return port is not None and port.startswith("ftdi:")


def expander_address(text: str) -> int:
    """The 7-bit address of an expander; a usage error for anything else, which asks what may be meant."""
    number = whole_number(text)
    if at_address(number):
        return number
    meant = f"0x{text.strip()}"
    with suppress(ValueError):
        if at_address(int(meant, 16)):
            raise click.BadParameter(f"{text} is {number:#04x}, which no expander has: is {meant} meant?")
    raise click.BadParameter(f"{text} is not an address of an expander: {address_ranges()}")


UNITS = {"": 1.0, "s": 1.0, "min": 60.0, "h": 3600.0}


def seconds_of(text: str) -> float:
    """A time such as 30s, 5min or 2h, in seconds; a usage error for anything else."""
    number = text.strip().rstrip("abcdefghijklmnopqrstuvwxyz ")
    try:
        seconds = float(number) * UNITS[text.strip()[len(number) :].strip()]
    except (ValueError, KeyError):
        seconds = 0.0
    if not 0 < seconds < float("inf"):
        raise click.BadParameter(f"{text!r} is not a duration: write it as 30s, 5min or 2h")
    return seconds


def seconds_or_all(text: str) -> float:
    """The same, or 0 for "all"."""
    return 0.0 if text.strip() == "all" else seconds_of(text)


def size_option(text: str) -> Callable[[Function], Function]:
    """--size, whose values complete in the shell."""
    return click.option("--size", metavar="COLUMNSxROWS", help=text, shell_complete=complete_sizes)


def complete_sizes(ctx: click.Context, param: click.Parameter, begun: str) -> list[str]:
    """The sizes that begin so, for the shell."""
    from lumek.core.geometry import SIZES

    return [size for size in SIZES if size.startswith(begun)]


def complete_schemes(ctx: click.Context, param: click.Parameter, begun: str) -> list[str]:
    """The colour schemes that begin so."""
    from lumek.views.colours import SCHEMES

    return [scheme for scheme in SCHEMES if scheme.startswith(begun)]


def complete_roms(ctx: click.Context, param: click.Parameter, begun: str) -> list[str]:
    """The ROMs that begin so."""
    from lumek.roms import NAMES

    return [name for name in NAMES if name.startswith(begun)]


def panel_option(function: Function) -> Function:
    """--panel."""
    return click.option("--panel", metavar="NAME", help="One panel of a hookup file that has several.")(function)


class WithNew(click.Command):
    """A command about a file; but `new`, in place of the file's name, is a command of its own, of the module `new`."""

    def __init__(self, *arguments: Any, new: str, **settings: Any) -> None:
        super().__init__(*arguments, **settings)
        self.new = new

    def make_context(
        self, info_name: str | None, args: list[str], parent: click.Context | None = None, **extra: Any
    ) -> click.Context:
        """The context of the command or, when asked for, of `new`."""
        if args[:1] != ["new"]:
            return super().make_context(info_name, args, parent, **extra)
        command: click.Command = import_module(self.new).command
        return command.make_context(f"{info_name} new", args[1:], parent, **extra)


def hookup_options(function: Function) -> Function:
    """--hookup, --panel and --twin."""
    for option in (
        click.option("--twin", "simulated", is_flag=True, help="Simulate the panel."),
        panel_option,
        click.option("--hookup", type=click.Path(path_type=Path), metavar="FILE", help="The panel of a hookup file."),
    ):
        function = option(function)
    return function


def fault_option(example: str) -> Callable[[Function], Function]:
    """--fault, for simulated panels; see `check_faults`."""
    return click.option("--fault", "faults", multiple=True, metavar="TEXT",
                        help=f'With --twin: what goes wrong, as "{example}". May be repeated.')  # fmt: skip


def check_faults(faults: Sequence[str], simulated: bool) -> None:
    """Whether these faults are understood, and the panels simulated. Raises UsageError, SettingError."""
    from lumek.twin.fault_words import fault_of

    if faults and not simulated:
        raise click.UsageError("--fault is for simulated panels: add --twin")
    for text in faults:
        fault_of(text)


def rom_option(function: Function) -> Function:
    """--rom."""
    return click.option(
        "--rom", metavar="NAME", help="Character ROM: A00 (default), A02 or a ROM file.",
        shell_complete=complete_roms,
    )(function)  # fmt: skip


def picture_options(function: Function) -> Function:
    """--picture and --scheme."""
    function = click.option(
        "--scheme", default="meadow", metavar="NAME", help="Colours: meadow (default), dusk or ember.",
        shell_complete=complete_schemes,
    )(function)  # fmt: skip
    return output_option("--picture", "Write a picture of the panels.", ".png")(function)


def output_option(flag: str, what: str, *endings: str) -> Callable[[Function], Function]:
    """An option that names a file to be written."""
    return click.option(
        flag, type=click.Path(path_type=Path), callback=written_as(*endings), metavar=f"OUT{endings[0]}", help=what
    )


def animate_option(function: Function) -> Function:
    """--animate."""
    return output_option("--animate", "Write an animation of what the panels showed.", ".gif")(function)


def record_option(function: Function) -> Function:
    """--record; see `capture_to`."""
    return output_option("--record", "Record the wires, for lumek decode and programs that show waveforms.", ".vcd")(
        function
    )


@contextmanager
def capture_to(path: Path | None) -> "Iterator[Capture | None]":
    """A block with a capture, which is complete at its end; None without a path. A usage error where it cannot be."""
    if path is None:
        yield None
        return
    from lumek.captures.recorder import Capture

    try:
        capture = Capture(path)
    except OSError as problem:
        raise click.UsageError(f"cannot write {path}: {problem.strerror or problem}") from None
    with capture:
        yield capture


def written_as(*endings: str) -> Callable[[click.Context, click.Parameter, Path | None], Path | None]:
    """The callback of a file to be written: it refuses before anything is done what would fail at its end."""

    def checked(ctx: click.Context, param: click.Parameter, path: Path | None) -> Path | None:
        if path is not None and path.suffix.lower() not in endings:
            raise click.BadParameter(f"{path} does not end in {' or '.join(endings)}")
        if path is not None and (path.is_dir() or not path.parent.is_dir()):
            raise click.BadParameter(f"cannot write {path}: {path.parent} is not a folder, or {path} is one")
        return path

    return checked


@contextmanager
def writing(path: Path) -> Iterator[Path]:
    """A block that writes a file, which takes the place of an old one when it is whole.

    Gives the path to write to. What cannot be written is a usage error.
    """
    try:
        with replacing(path) as beside:
            yield beside
    except OSError as problem:
        raise click.UsageError(f"cannot write {path}: {problem.strerror or problem}") from None


def write_picture(twin: "Twin", path: Path | None, scheme: str) -> None:
    """Write the picture of a panel, if one is asked for."""
    if path is not None:
        from lumek.views.picture import save_picture

        with writing(path) as beside:
            save_picture(twin, beside, scheme)
