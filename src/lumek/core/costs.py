"""What the steps of a plan take on a link, so that plans can be compared."""

from lumek.core.instructions import SLOW_BELOW, Step, Timing


class Costs:
    """What a plan reckons with: microseconds on a link, for a controller with this timing.

    byte_us: that the wires need for a byte. turn_us: for a change of RS.
    cell: for a byte of data after another. hop: for an address between two of them, beyond these.
    usual, slow: for an instruction, and for "clear display" and "return home".
    reach: the longest gap, in bytes, that is quicker written than passed over.
    """

    def __init__(self, timing: Timing, byte_us: int = 0, turn_us: int = 0) -> None:
        # What changes RS, and the wait that a controller needs, are at the same time.
        turned = byte_us + turn_us
        self.cell = max(byte_us, timing.data_us)
        self.hop = max(turned, timing.data_us) + max(turned, timing.usual_us) - self.cell
        self.usual, self.slow = max(byte_us, timing.usual_us), max(byte_us, timing.slow_us)
        self.reach = (self.hop - 1) // self.cell

    def of(self, steps: "list[Step]", rs: int) -> int:
        """What these steps take. rs: as RS was before."""
        us = 0
        for step in steps:
            if step.rs:
                us += len(step.data) * self.cell
            else:
                us += self.slow if step.data[0] < SLOW_BELOW else self.usual
            if step.rs != rs:
                us += (self.hop - self.usual) // 2
                rs = step.rs
        return us
