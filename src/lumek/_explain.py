"""Why the last assignment was sent as it was: its steps in words. Loaded when it is asked for.

The reasons are those of `lumek.core.plan`, whose phases follow each other in one order.
"""

from collections import namedtuple

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
    """The steps of the last flush; none when nothing differed."""
    found = []
    steps = driver.last
    drawing = False
    redrawn = any(_is(step, 0x40, 0x80) for step in steps[driver.start_up :])
    for number, step in enumerate(steps):
        if _is(step, 0x40, 0x80):
            drawing = True
        elif not step.rs:
            drawing = False
        if number < driver.start_up or driver.why == "again":
            reason = BEGINNINGS["start" if driver.why == "start" else "again"]
        else:
            reason = _reason(steps, number, drawing, redrawn)
        found.append(Explained(bytes(step.data), str(step), _cost_us(driver, step), reason))
    return found


def _is(step: "Step", least: int, end: int) -> bool:
    return not step.rs and not step.single and len(step.data) == 1 and least <= step.data[0] < end


def _cost_us(driver: "Driver", step: "Step") -> int:
    if not step.data:
        return step.us
    byte_us = driver.link.byte_us
    if step.rs:
        return len(step.data) * max(byte_us, step.us)
    return byte_us + step.us


def _reason(steps: "list[Step]", number: int, drawing: bool, redrawn: bool) -> str:
    step = steps[number]
    after = steps[number + 1] if number + 1 < len(steps) else None
    if drawing:
        return "a slot gets another drawing, or is drawn for the first time"
    if step.rs:
        later = any(_is(one, 0x40, 0x80) for one in steps[number:])
        if redrawn and later:
            return "these cells show a slot that is about to be redrawn: they leave it first"
        return "these cells differ from what is shown"
    if _is(step, 0x80, 0x100):
        if after is not None and after.rs:
            return "the address counter is not at the first cell that differs"
        return "the cursor shows, and belongs into this cell"
    if _is(step, 0x18, 0x20):
        return "the picture slides by one column: cheaper than writing it again"
    if _is(step, 0x08, 0x10):
        return "display, underline and blink as they are wanted: on comes last, off first"
    if _is(step, 0x04, 0x08):
        return "the address counter is to count the other way"
    return "quicker than writing the cells that differ"
