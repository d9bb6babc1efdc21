"""Buttons and an encoder on GPIO lines of this host: they turn pages as messages do."""

from collections.abc import Iterable, Mapping
from json import dumps
from typing import Protocol

from lumek.errors import PortError, SettingError
from lumek.messages.models import TOGGLE
from lumek.messages.ways.knobs import Button, Encoder
from lumek.messages.ways.way import WayIn
from lumek.readings.guarded import guarded_thread

WAIT_S = 0.1
RETRY_S = 1.0

ORDERS: dict[str, dict[str, object]] = {
    "next": {"next": True}, "back": {"back": True}, "hold": {"hold": TOGGLE}, "light": {"light": TOGGLE},
    "clear": {"clear": True},
}  # fmt: skip
"""What a button may do: the message that it is."""

Line = int | str


class LineChange(Protocol):
    """A line has changed."""

    @property
    def line(self) -> Line: ...  # noqa: D102
    @property
    def level(self) -> int: ...  # noqa: D102
    @property
    def seconds(self) -> float: ...  # noqa: D102


class Edges(Protocol):
    """What is asked of lines: see `lumek.ports.linux.edges.LineEdges`."""

    def levels(self) -> Mapping[Line, int]: ...  # noqa: D102
    def wait(self, limit_s: float) -> Iterable[LineChange]: ...  # noqa: D102
    def close(self) -> None: ...  # noqa: D102


class ButtonsWay(WayIn):
    """Buttons and a rotary encoder on GPIO lines of this host. A line is an offset on the chip, or a name.

    next: the line of a button that shows the next face.
    back: the line of a button that shows the face before.
    hold: the line of a button that holds a face, and lets go of it.
    light: the line of a button that switches the backlight.
    clear: the line of a button that takes messages away.
    encoder: its two lines: to the right it shows the next face, to the left the one before.
    chip: the path of the device file of the chip.
    pull: 'up', 'down' or 'none': the resistor inside the chip, where it has one.
    pressed: 0 or 1: the level of a line while its button is pressed.
    bounce_ms: milliseconds, 0 to 1000, for which contacts bounce.
    Raises SettingError for a setting that is not possible.
    """

    kind = "buttons"

    def __init__(
        self,
        *,
        next: Line | None = None,
        back: Line | None = None,
        hold: Line | None = None,
        light: Line | None = None,
        clear: Line | None = None,
        encoder: list[Line] | None = None,
        chip: str = "/dev/gpiochip0",
        pull: str = "up",
        pressed: int = 0,
        bounce_ms: float = 5.0,
    ) -> None:
        super().__init__()
        asked = {"next": next, "back": back, "hold": hold, "light": light, "clear": clear}
        self._orders = {line: name for name, line in asked.items() if line is not None}
        self._knob = dict(zip(encoder or (), "ab", strict=False))
        lines = [line for line in asked.values() if line is not None] + list(encoder or ())
        if not lines:
            raise SettingError(f"it needs at least one of {', '.join([*ORDERS, 'encoder'])}")
        if encoder is not None and len(encoder) != 2:
            raise SettingError(f"an encoder has two lines, not {len(encoder)}")
        if len(set(lines)) < len(lines):
            raise SettingError("two buttons or encoder lines have the same line; each needs its own")
        self._lines, self._chip, self._pull = lines, chip, pull
        self._pressed, self._bounce_s = pressed, bounce_ms / 1000
        self._thread = guarded_thread("lumek ButtonsWay", self._run, self._closing, self._failed)

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The chip."""
        return str(settings.get("chip") or "/dev/gpiochip0")

    def _begin(self) -> None:
        self._thread.start()

    def _edges(self) -> Edges:
        """The lines. Raises PortError."""
        try:
            from lumek.ports.linux.edges import LineEdges
        except ImportError:
            raise PortError("buttons need the GPIO lines of a Linux computer") from None
        return LineEdges(self._chip, self._lines, self._pull, self._bounce_s)

    def _run(self) -> None:
        while not self._closing.is_set():
            edges: Edges | None = None
            try:
                edges = self._edges()
                self._failed("")
                self._follow(edges)
            except PortError as problem:
                self._failed(str(problem))
            finally:
                if edges is not None:
                    edges.close()
            self._closing.wait(RETRY_S)

    def _follow(self, edges: Edges) -> None:
        levels = edges.levels()
        buttons = {line: Button(self._pressed, self._bounce_s) for line in self._orders}
        knob = Encoder({which: levels[line] for line, which in self._knob.items()}) if self._knob else None
        while not self._closing.is_set():
            for edge in edges.wait(WAIT_S):
                if edge.line in self._orders:
                    if buttons[edge.line].edge(edge.level, edge.seconds):
                        self.order(self._orders[edge.line])
                elif knob is not None:
                    step = knob.edge(self._knob[edge.line], edge.level)
                    if step:
                        self.order("next" if step > 0 else "back")

    def order(self, name: str) -> None:
        """Do what a button does."""
        self.bring(dumps(ORDERS[name]).encode())

    def close(self) -> None:
        """Stop, and give the lines back. A second time does nothing."""
        super().close()
        if self._thread.is_alive():
            self._thread.join(2.0)
