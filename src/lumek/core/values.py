"""What a value that was given is: a whole number, or a number of any kind."""

from lumek._harmless import quoted
from lumek.errors import SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


def is_whole(number: object) -> bool:
    """Whether something counts: an int or what can be used as one, but not a bool."""
    return (isinstance(number, int) or hasattr(number, "__index__")) and not isinstance(number, bool)


def is_number(value: object) -> bool:
    """Whether something can be shown as a number: int, float, Decimal, Fraction or a NumPy scalar, but not a bool."""
    if isinstance(value, bool) or hasattr(value, "__len__"):
        return False
    return isinstance(value, float) or is_whole(value) or hasattr(value, "as_integer_ratio")


def whole_setting(what: str, value: "Any", least: int) -> int:
    """A setting that is a whole number. Raises SettingError for anything else, and for one that is too small."""
    if not is_whole(value) or value < least:
        raise SettingError(f"{what} is a whole number from {least}, not {quoted(value)}")
    return int(value)
