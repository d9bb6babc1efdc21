"""What buttons and an encoder mean: presses and steps, out of edges that bounce."""

from collections.abc import Mapping

REST = 3
"""Both lines of an encoder at rest: high."""

STEPS = {0b1101: 1, 0b0100: 1, 0b0010: 1, 0b1011: 1, 0b1110: -1, 0b1000: -1, 0b0001: -1, 0b0111: -1}
"""Two states of an encoder's lines, A and B, one after the other: the direction. The lines change one at a time; B
after A to the right. Other pairs are bounces, or a state that was missed."""

LEAST = 2
"""At least this many of the four states of a step must be seen."""


class Button:
    """A button: pressed at one level, released at the other.

    pressed: the level.
    bounce_s: seconds after a change during which others are bounces.
    """

    def __init__(self, pressed: int, bounce_s: float) -> None:
        self._pressed, self._bounce_s = pressed, bounce_s
        self._is_down = False
        self._changed = float("-inf")

    def edge(self, level: int, seconds: float) -> bool:
        """Whether it is pressed by this edge."""
        down = level == self._pressed
        if down == self._is_down or seconds - self._changed < self._bounce_s:
            return False
        self._is_down, self._changed = down, seconds
        return down


class Encoder:
    """A rotary encoder of two lines, with a rest at each step, where both are high."""

    def __init__(self, levels: Mapping[str, int]) -> None:
        self._levels = dict(levels)
        self._state = self._coded()
        self._moved = 0

    def _coded(self) -> int:
        return self._levels["a"] << 1 | self._levels["b"]

    def edge(self, which: str, level: int) -> int:
        """The step that an edge of "a" or "b" ends: 1 to the right, -1 to the left, 0 for none so far."""
        self._levels[which] = level
        state = self._coded()
        self._moved += STEPS.get(self._state << 2 | state, 0)
        self._state = state
        if state != REST:
            return 0
        moved, self._moved = self._moved, 0
        return 0 if abs(moved) < LEAST else (1 if moved > 0 else -1)
