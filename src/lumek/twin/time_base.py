"""The simulated time."""


class TwinClock:
    """The time since power-on, by which everything that is wired together runs. `now_ns` is in nanoseconds."""

    def __init__(self) -> None:
        self.now_ns = 0
