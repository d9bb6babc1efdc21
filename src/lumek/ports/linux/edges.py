"""Edges of GPIO lines on Linux: buttons and encoders, without asking again and again.

Source: Linux documentation, "GPIO character device (v2)": edge events, bias and debounce of a line request.
"""

import os
from collections.abc import Iterable
from datetime import timedelta
from typing import NamedTuple

import gpiod
from gpiod.line import Bias, Edge

from lumek._harmless import quoted
from lumek.errors import PortError
from lumek.ports.linux.device import not_allowed, there
from lumek.ports.linux.lines import CONSUMER

PULLS = {"up": Bias.PULL_UP, "down": Bias.PULL_DOWN, "none": Bias.AS_IS}


class LineEdge(NamedTuple):
    """A line has changed.

    line: as it was asked for.
    level: 0 or 1.
    seconds: when, since any moment.
    """

    line: int | str
    level: int
    seconds: float


class LineEdges:
    """Lines of a GPIO chip as inputs whose edges are told.

    chip: the path of its device file.
    lines: offsets on the chip, or names.
    pull: "up", "down" or "none": the resistor inside the chip, where it has one.
    bounce_s: seconds, 0 or more, for which the kernel waits until a line is steady.
    Raises PortError when the chip or a line is missing, is in use, or may not be used.
    """

    def __init__(self, chip: str, lines: Iterable[int | str], pull: str = "up", bounce_s: float = 0.0) -> None:
        wanted = list(lines)
        settings = gpiod.LineSettings(
            edge_detection=Edge.BOTH, bias=PULLS[pull], debounce_period=timedelta(seconds=bounce_s)
        )
        try:
            with gpiod.Chip(chip) as opened:
                offsets = {opened.line_offset_from_id(line): line for line in wanted}
                self._lines = offsets
                self._request = opened.request_lines(
                    config={tuple(offsets): settings}, consumer=CONSUMER.format(os.getpid())
                )
        except FileNotFoundError:
            raise PortError(f"there is no GPIO chip {chip}; there is: {there('gpiochip*')}") from None
        except PermissionError:
            raise PortError(not_allowed(chip, "gpio", "gpio")) from None
        except (OSError, ValueError) as problem:
            why = getattr(problem, "strerror", None) or problem
            raise PortError(f"lines {quoted(wanted)} of {chip} are not available: {why}") from None

    def levels(self) -> dict[int | str, int]:
        """The levels now. Raises PortError."""
        try:
            values = self._request.get_values(list(self._lines))
        except OSError as problem:
            raise PortError(f"buttons: {problem.strerror or problem}") from None
        return {line: int(value.value) for line, value in zip(self._lines.values(), values, strict=True)}

    def wait(self, limit_s: float) -> list[LineEdge]:
        """The edges that come within a time, as soon as there are some. Raises PortError."""
        try:
            if not self._request.wait_edge_events(timedelta(seconds=limit_s)):
                return []
            events = self._request.read_edge_events()
        except OSError as problem:
            raise PortError(f"buttons: {problem.strerror or problem}") from None
        rising = gpiod.EdgeEvent.Type.RISING_EDGE
        return [
            LineEdge(self._lines[event.line_offset], int(event.event_type is rising), event.timestamp_ns / 1e9)
            for event in events
        ]

    def close(self) -> None:
        """Give the lines back."""
        self._request.release()
