"""What lumek run and lumek demo write: a log, a chart, pictures, a capture of the wires."""

from pathlib import Path
from typing import NamedTuple

from lumek.cli.options import writing
from lumek.faces.face_file import FaceFile


class Outputs(NamedTuple):
    """What is written: a log, a chart, a picture, an animation, a capture of the wires; and the panels' colours.

    log_every: seconds between lines of the log; None for what the file says.
    """

    log: Path | None = None
    log_every: float | None = None
    plot: Path | None = None
    picture: Path | None = None
    animate: Path | None = None
    record: Path | None = None
    scheme: str = "meadow"

    @property
    def need_twins(self) -> bool:
        """Whether simulated panels are needed for them."""
        return self.picture is not None or self.animate is not None


def draw_chart(faces: FaceFile, log: Path, path: Path) -> None:
    """A chart of what was read, in the order of the file."""
    from lumek.readings.chart import plot
    from lumek.readings.loading import load

    frame = load(log)
    logged = set(frame["name"])
    names = [name for name in faces.probes if name in logged]
    with writing(path) as beside:
        plot(frame, beside, names=names, title=faces.path.stem, zone=faces.deck.zone or "UTC")
