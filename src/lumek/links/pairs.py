"""Two controllers on the same wires: their bytes in turn, each in the other's waits. Loaded for panels that have two.

A controller heeds its own E only. So the second may be sent its byte while the first is busy, and what both are to
take, a byte or half of one, they take at once, with both lines E raised together.
"""

from lumek.core.instructions import Step
from lumek.links.byte_port import EACH

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

BOTH = 3
"""`enables` of a step for both controllers."""


def in_turn(steps: "Iterable[Step]", halves: bool) -> list[Step]:
    """Steps whose bytes are in turn for each controller; those for one of them keep their order.

    halves: whether two bytes of the same kind become a step for EACH, so that halves can be shared: where the wires are
        slower than a controller. A byte that both take is a step for BOTH in any case.
    """
    found: list[Step] = []
    waiting: tuple[list[Step], list[Step]] = ([], [])
    for step in steps:
        if step.data and step.enables != BOTH and not step.single:
            waiting[step.enables - 1].append(step)
        else:
            found += _merged(*waiting, halves)
            waiting = ([], [])
            found.append(step)
    return found + _merged(*waiting, halves)


def _merged(first: list[Step], second: list[Step], halves: bool) -> list[Step]:
    if not first or not second:
        return first + second
    one, other = _single(first), _single(second)
    found: list[Step] = []
    at = [0, 0]
    while at[0] < len(one) and at[1] < len(other):
        a, b = one[at[0]], other[at[1]]
        if a.rs != b.rs or a.us != b.us:  # instructions first, so that both are at data again
            number = 0 if a.rs < b.rs or (a.rs == b.rs and a.us > b.us) else 1
            found.append((a, b)[number])
            at[number] += 1
            continue
        if a.data == b.data:
            found.append(_with(a, a.data, BOTH))
        elif halves:
            found.append(_with(a, a.data + b.data, EACH))
        else:
            found += [a, b]
        at = [at[0] + 1, at[1] + 1]
    return found + one[at[0] :] + other[at[1] :]


def _single(steps: list[Step]) -> list[Step]:
    """The steps with one byte each."""
    return [_with(step, step.data[at : at + 1], step.enables) for step in steps for at in range(len(step.data))]


def _with(step: Step, data: bytes, enables: int) -> Step:
    return Step(step.rs, data, step.us, step.settle_us, enables, False)
