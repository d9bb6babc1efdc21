"""Moving pictures of simulated panels."""

from collections.abc import Callable, Iterator, Sequence
from itertools import combinations, pairwise
from pathlib import Path

from PIL import Image

from lumek._files import replacing
from lumek._notice import notice
from lumek.twin.module import Twin
from lumek.views.colours import Colour, mixed
from lumek.views.picture import DOT, indexed, pictures, width_of

WIDEST = 640
"""Pixels; a GIF of several seconds should still be small enough to be shown in a document."""

MOST = 1000
"""Pictures; what comes after them is left out."""

COLOURS, MIXED = 64, 12
"""Colours of a picture that are kept exactly; and the first of them, between which others are added."""

LAST_S = 2.0
"""How long the last one is shown."""


class Animation:
    """Panels side by side as they were seen: `take` at each moment, then `save` as a GIF.

    Only what differs from the picture before becomes one, so that pauses cost nothing.
    """

    def __init__(self, twins: Sequence[Twin], scheme: str = "meadow") -> None:
        self._twins = list(twins)
        self._scheme = scheme
        self._seen: list[object] = []
        self._pictures: list[tuple[float, Image.Image]] = []
        self._dot = DOT
        while len(self._twins) == 1 and self._dot > 1 and width_of(self._twins[0], self._dot) > WIDEST:
            self._dot -= 1

    def take(self, seconds: float) -> None:
        """Take a picture.

        seconds: since any moment.
        """
        seen: list[object] = [(twin.drawn, twin.glow) for twin in self._twins]
        if seen == self._seen or len(self._pictures) > MOST:
            return
        self._seen = seen
        if len(self._pictures) == MOST:
            notice(f"the animation ends after {MOST} pictures")
        if len(self._twins) == 1:  # its dots are drawn as large as there is room, in the colours that it has
            self._pictures.append((seconds, indexed(self._twins[0], self._scheme, self._dot)))
            return
        image = pictures(self._twins, self._scheme)
        palette = _palette(image)
        if image.width > WIDEST:
            image = image.resize((WIDEST, round(image.height * WIDEST / image.width)), Image.Resampling.LANCZOS)
        self._pictures.append((seconds, image.quantize(palette=palette, dither=Image.Dither.NONE)))

    def save(self, path: str | Path, at: Callable[[float], object] = lambda fraction: None) -> None:
        """Write it as a GIF that begins again at its end.

        at: called with how far it is, 0.0 to 1.0.
        Raises OSError when the file cannot be written; an old one stays as it was then.
        """
        if not self._pictures:
            self.take(0.0)
        times = [seconds for seconds, _ in self._pictures]
        lasting = [after - before for before, after in pairwise(times)] + [LAST_S]
        first, *others = [image for _, image in self._pictures]

        def others_counted() -> Iterator[Image.Image]:
            for number, image in enumerate(others):
                at(number / len(others))
                yield image

        with replacing(path) as beside:
            first.save(
                beside, format="GIF", save_all=True, append_images=others_counted(), loop=0, optimize=True,
                duration=[max(20, round(1000 * seconds)) for seconds in lasting],
            )  # fmt: skip


def _palette(image: Image.Image) -> Image.Image:
    """The colours of a picture as they are, the most frequent first, and those half-way between the first of them.

    A palette that is computed for each picture would let the same glass be another green in each.
    """
    counted = image.getcolors(image.width * image.height) or []
    found: list[Colour] = [colour for _, colour in sorted(counted, reverse=True) if isinstance(colour, tuple)][:COLOURS]
    halves = [mixed(one, other, share) for one, other in combinations(found[:MIXED], 2) for share in (0.33, 0.67)]
    colours = [*found, *halves][:256]
    palette = Image.new("P", (1, 1))
    palette.putpalette([part for colour in colours for part in colour])
    return palette
