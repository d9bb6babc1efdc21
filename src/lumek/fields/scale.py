"""Limits of a graph that people can read: multiples of 1, 2 or 5 times a power of ten."""

import math

MOST_STEPS = 4
"""So many steps at most lie between the limits, but for the parts that are rounded outwards."""


SMALLEST = 1e-200
"""What differs by less is all the same: a float has no reciprocal of it."""


def round_limits(low: float, high: float, coarser: int = 0) -> tuple[float, float]:
    """The nearest round numbers outside of low to high, which are not the same.

    coarser: powers of ten by which they are rounder than they need be.
    """
    middle = max(abs(low), abs(high))
    distance = max(high - low, middle * 1e-6)
    if distance < SMALLEST:
        distance = 1.0
    step = 10.0 ** math.floor(math.log10(distance / MOST_STEPS))
    for factor in (1, 2, 5, 10):
        if distance / (step * factor) <= MOST_STEPS:
            step *= factor
            break
    step *= 10.0**coarser
    first, last = math.floor(low / step), math.ceil(high / step)
    if last == first:
        last += 1
    return _multiple(first, step), _multiple(last, step)


def _multiple(count: int, step: float) -> float:
    """So many steps, without the error of a step below 1."""
    return count * step if step >= 1 else count / round(1 / step)
