"""A show on a simulated panel, by a clock that is moved by hand."""

from lumek import simulate
from lumek.faces import Deck, Face, Show, Stand
from lumek.readings import FunctionProbe, HandClock, Poller


class Bench:
    """A show on one simulated panel, whose readings are set by hand."""

    def __init__(self, faces: list[Face], page_s: float = 4.0, start_s: float = 10.0, **values: float | None) -> None:
        self.values = values
        self.clock = HandClock(1_782_885_600.0)  # 2026-07-01T06:00:00Z
        self.panel = simulate(faces[0].size)
        probes = [FunctionProbe(name, lambda name=name: self.values[name], clock=self.clock) for name in values]
        self.poller = Poller(probes, 0.5, clock=self.clock, threads=False)
        self.stand = Stand("", Deck(faces, page_s, farewell="Bye"), [self.panel])
        self.show = Show([self.stand], self.poller, zone="UTC", clock=self.clock, start_s=start_s)

    def go(self, seconds: float, polling: bool = True) -> list[str]:
        """Let time pass, half a second a drawing; what is seen then."""
        for _ in range(int(seconds * 2)):
            if polling:
                self.poller.poll_due()
            self.show.draw()
            self.clock.advance(0.5)
        assert not self.panel.twin.violations
        return [row.rstrip() for row in self.panel.rows]


def face(name: str, size: str = "16x2", **settings: object) -> Face:
    made = Face(size, name, **settings)
    made[0] = name
    return made
