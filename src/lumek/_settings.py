"""What can be set on a panel beside its cells: cursor, direction, display, backlight and contrast."""

from lumek._harmless import quoted
from lumek._upkeep import Upkeep
from lumek.errors import PlaceError, SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from lumek.core.geometry import Geometry
    from lumek.lights.backlight import Backlight, Contrast
    from lumek.protocols import Channel

CURSOR_SHAPES = {None: (False, False), "underline": (True, False), "block": (False, True), "both": (True, True)}
"""Cursor shape: (underline, blinking block)."""


class Settings(Upkeep):
    """Properties of a panel; `Panel` has the rest."""

    if TYPE_CHECKING:
        _geometry: Geometry
        _backlight: Backlight
        _contrast: Contrast | None
        _cursor: tuple[int, int]
        _cursor_shape: str | None
        _leftward: bool
        _on: bool

        def together(self) -> Any: ...

    @property
    def cursor(self) -> tuple[int, int]:
        """Row and column of the cursor, which shows when `cursor_shape` is set."""
        return self._cursor

    @cursor.setter
    def cursor(self, place: tuple[int, int]) -> None:
        if not isinstance(place, (tuple, list)) or len(place) != 2:
            raise PlaceError(f"the cursor's place is (row, column), not {quoted(place)}")
        row, column = self._geometry.row(place[0]), self._geometry.column(place[1])
        with self.together():
            self._cursor = row, column

    @property
    def cursor_shape(self) -> str | None:
        """How the cursor shows: "underline", "block" (blinking), "both", or None for not at all."""
        return self._cursor_shape

    @cursor_shape.setter
    def cursor_shape(self, shape: str | None) -> None:
        if not isinstance(shape, (str, type(None))) or shape not in CURSOR_SHAPES:
            raise SettingError(
                f"there is no cursor shape {quoted(shape)}: shapes are 'underline', 'block', 'both' and None"
            )
        with self.together():
            self._cursor_shape = shape

    @property
    def leftward(self) -> bool:
        """Whether text and glyphs are written from the right end of their place to the left.

        The controller does so, too: its address counter counts down (entry mode set, I/D = 0).
        """
        return self._leftward

    @leftward.setter
    def leftward(self, leftward: bool) -> None:
        leftward = _yes_or_no("leftward", leftward)
        with self.together():
            self._leftward = leftward

    @property
    def visible(self) -> bool:
        """Whether the cells show; a panel made invisible keeps its text."""
        return self._on

    @visible.setter
    def visible(self, visible: bool) -> None:
        visible = _yes_or_no("visible", visible)
        with self.together():
            self._on = visible

    @property
    def backlight(self) -> bool | float | str:
        """The backlight as it was set: True or False, a fraction, or a colour.

        A colour is "#rrggbb" or one of the names in `lumek.lights.lamps.COLOURS`. Raises SettingError for anything else
        of these or more than the light can do, HookupError when the hookup has no light at all.
        """
        return self._backlight.value

    @backlight.setter
    def backlight(self, value: bool | float | str) -> None:
        with self._lock:
            self._check_open()
            self._backlight.ask(value)
            self._flush()

    @property
    def contrast(self) -> float | None:
        """The power of the contrast channel, 0.0 to 1.0, as it was set; None before.

        Raises HookupError when the hookup has no such channel, SettingError outside of 0 to 1.
        """
        return None if self._contrast is None else self._contrast.value

    @contrast.setter
    def contrast(self, fraction: float) -> None:
        with self._lock:
            self._check_open()
            if self._contrast is None:
                self._contrast = contrast_of(None)
            self._contrast.dim(fraction)


def contrast_of(channel: "Channel | None") -> "Contrast":
    """The contrast of a channel. Raises HookupError when there is none."""
    from lumek.lights.backlight import Contrast  # needed only by programs that set it

    return Contrast(channel)


def _yes_or_no(what: str, value: bool) -> bool:
    try:
        known = value in (True, False)
    except Exception:  # some numbers refuse to be compared
        known = False
    if not known:
        raise SettingError(f"{what} is True or False, not {quoted(value)}")
    return bool(value)
