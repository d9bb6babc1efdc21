"""Why the last assignment was sent as it was: its steps in words. Loaded when it is asked for.

The reasons are those of `lumek.core.plan`, whose phases follow each other in one order.
"""

from collections import namedtuple

from lumek._driver import KEEPS_STEPS
from lumek.core.words import step_words

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek._driver import Driver
    from lumek.core.instructions import Step

Explained = namedtuple("Explained", ("code", "words", "us", "reason"))
"""A step: its bytes, what it does, how many microseconds it takes on the wires and in the controller at least, and why
it was sent."""

BEGINNINGS = {
    "start": "nothing is known of the panel yet: this brings it from any state to a blank one",
    "again": "it may have been disturbed, or failed: everything is sent again",
}


def explained(driver: "Driver") -> list[Explained]:
    """The steps of the last flush; none when nothing differed, and where no steps are kept."""
    return _explained(driver.last, driver) if KEEPS_STEPS else []


def _explained(steps: "list[Step]", driver: "Driver") -> list[Explained]:
    reasons = [BEGINNINGS["start"]] * driver.start_up
    if driver.why == "again":
        reasons = [BEGINNINGS["again"]] * len(steps)
    drawing = False
    for number, step in enumerate(steps[len(reasons) :], len(reasons)):
        drawing = _sets_cgram(step) or (drawing and bool(step.rs))
        reasons.append(_reason(steps, number, drawing))
    return [
        Explained(bytes(step.data), step_words(step), _cost_us(driver, step), reason)
        for step, reason in zip(steps, reasons)  # noqa: B905  MicroPython's zip has no strict
    ]


def _cost_us(driver: "Driver", step: "Step") -> int:
    us: int = step.us
    if not step.data:
        return us
    byte_us = driver.link.byte_us
    if step.rs:
        return len(step.data) * max(byte_us, us)
    return byte_us + us


def _reason(steps: "list[Step]", number: int, drawing: bool) -> str:
    step = steps[number]
    if drawing:
        return "a slot gets another drawing, or is drawn for the first time"
    if step.rs:
        if any(_sets_cgram(later) and later.enables == step.enables for later in steps[number:]):
            return "these cells show a slot that is about to be redrawn: they leave it first"
        return "these cells differ from what is shown"
    code = step.data[0]
    if code & 0x80:
        if any(later.rs for later in steps[number + 1 : number + 2]):
            return "the address counter is not at the first cell that differs"
        return "the cursor is shown in this cell"
    if code & 0x10:
        return "the picture slides by one column: cheaper than writing it again"
    if code & 0x08:
        return "display, underline or blink changes; a display goes off before all else and comes on after it"
    if code & 0x04:
        return "the address counter is to count the other way"
    return "quicker than writing the cells that differ"


def _sets_cgram(step: "Step") -> bool:
    return not step.rs and len(step.data) == 1 and step.data[0] & 0xC0 == 0x40
