"""How a conversion takes a number or an array, and gives back the same."""

from collections.abc import Callable
from functools import wraps
from typing import TYPE_CHECKING, Any, TypeVar, cast

import numpy as np

from lumek.errors import LumekError, SettingError
from lumek.readings.reading import one_line

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

KELVIN = 273.15
"""Kelvins at 0 degrees Celsius."""

F = TypeVar("F", bound=Callable[..., Any])

V = TypeVar("V", "float", "NDArray[np.float64]")
"""A number or an array of numbers; what comes out is the same kind, of the same shape."""


def like(given: V, result: "Array", *others: object) -> V:
    """A result as a float where only numbers were given, else as the array that it is."""
    many = np.ndim(result) > 0 or any(isinstance(value, np.ndarray) for value in (given, *others))
    answer: Any = result if many else float(result)
    kind: V = answer
    return kind


def within(result: "Array", inside: "Any") -> "Array":
    """A result, with NaN where what it was made from is outside of the range, and where it is infinite."""
    return np.where(inside & np.isfinite(result), result, np.nan)


def quiet(function: F) -> F:
    """A conversion that does not warn of what becomes NaN, and says in a line what is not a number for it."""

    @wraps(function)
    def converted(*given: Any, **settings: Any) -> Any:
        try:
            with np.errstate(all="ignore"):
                return function(*given, **settings)
        except LumekError:
            raise
        except (ValueError, ArithmeticError) as problem:
            raise SettingError(f"{function.__name__} takes numbers, and arrays of them: {one_line(problem)}") from None

    return cast("F", converted)
