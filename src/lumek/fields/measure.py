"""What fields have in common that show one number."""

from lumek.fields.field import Field, flaw_of, number_setting

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any

    from lumek.fields.field import Moment


class Measure(Field):
    """A field that shows one number, and a word outside of its own limits (None for none)."""

    def __init__(
        self, of: str, low: float | None, high: float | None, words: "Mapping[str, str] | None" = None
    ) -> None:
        super().__init__(of, words)
        self._low = low if low is None else number_setting("low", low)
        self._high = high if high is None else number_setting("high", high)
        self._value: Any = None

    def take(self, value: "Any", now: "Moment") -> None:
        """Show a number from now on."""
        self._value = int(value) if isinstance(value, bool) else value

    @property
    def flaw(self) -> str | None:
        """Why its value is not to be trusted, or None."""
        return flaw_of(self._value, self._low, self._high)
