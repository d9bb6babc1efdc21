"""Wires, boxes and words on a matplotlib figure: one unit is a pixel at 100 dots an inch, and y goes down."""

from collections.abc import Iterable

from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties
from matplotlib.patches import Circle, FancyBboxPatch
from matplotlib.textpath import TextPath

from lumek.hookup.colours import TINTS

DPI = 100
WIDTH = 1280

INK, FAINT, PAPER, WHITE = "#1c2530", "#8a94a0", "#fbfaf6", "#ffffff"
BOARD, RESISTOR, TRANSISTOR, CAPACITOR = "#e9eef0", "#f3e2c4", "#d5dcf2", "#d5efe6"

BOLD = FontProperties(weight="bold")

Point = tuple[float, float]

OVER = 12
"""From the order of a wire to that of one over all boxes; these are 4 above wires, words are over everything."""


def clipped(words: str, most: int) -> str:
    """Words cut to a number of characters."""
    return words if len(words) <= most else f"{words[: most - 3]}..."


class Canvas:
    """A figure to draw on. Wires have the gid "wire", boxes "box", words in one "boxed", and other words "words"."""

    def __init__(self, height: float) -> None:
        self.height = height
        self.figure = Figure(figsize=(WIDTH / DPI, height / DPI), dpi=DPI, facecolor=PAPER)
        self._axes = self.figure.add_axes((0, 0, 1, 1))
        self._axes.set_axis_off()
        self._axes.set_xlim(0, WIDTH)
        self._axes.set_ylim(height, 0)
        self._over = 3.0

    def wire(self, points: Iterable[Point], colour: str, over: bool = False) -> None:
        """A wire along points, over those drawn before, and over boxes as well. A striped one is "green-white"."""
        xs, ys = zip(*points, strict=True)
        base, _, stripe = colour.partition("-")
        self._over += 0.01
        strokes = [(6.2, PAPER, "-"), (4.2, INK, "-"), (2.8, TINTS[base], "-")]
        if stripe:
            strokes.append((2.8, TINTS[stripe], "--"))
        for width, tint, dashes in strokes:
            self._axes.plot(xs, ys, color=tint, lw=width, ls=dashes, zorder=self._over + OVER * over, gid="wire",
                            solid_joinstyle="round", solid_capstyle="butt", dash_capstyle="butt")  # fmt: skip

    def joint(self, x: float, y: float) -> None:
        """A dot where wires are joined."""
        self._axes.plot([x], [y], "o", ms=5, color=INK, zorder=6)

    def inside(self, points: Iterable[Point]) -> None:
        """A connection inside of a part."""
        xs, ys = zip(*points, strict=True)
        self._axes.plot(xs, ys, color=FAINT, lw=1.2, zorder=7.5)

    def box(
        self, x: float, y: float, width: float, height: float, words: str = "", fill: str = WHITE, edge: str = INK,
        size: float = 8, bold: bool = False, ink: str = INK, line: float = 1.0, dashed: bool = False,
    ) -> None:  # fmt: skip
        """A box from (x, y) on to the right and down, with words in its middle; over those drawn before."""
        self._over += 0.01
        style = f"round,pad=0,rounding_size={min(4, height / 3)}"
        self._axes.add_patch(
            FancyBboxPatch(
                (x, y),
                width,
                height,
                boxstyle=style,
                fc=fill,
                ec=edge,
                lw=line,
                ls="--" if dashed else "-",
                zorder=self._over + 4,
                gid="box",
            )
        )
        if words:
            self.words(x + width / 2, y + height / 2, words, size, "center", bold, ink, gid="boxed")

    def bar(self, x: float, y: float, words: str, over: str, size: float, ink: str = INK) -> None:
        """The bar of an active-low name, over the end of words that have their middle there in a box."""
        whole, name = (TextPath((0, 0), text, size=size * DPI / 72, prop=BOLD).get_extents() for text in (words, over))
        right = x + whole.width / 2
        self._axes.plot([right - name.width, right], [y - 0.62 * size - 1.2] * 2, color=ink, lw=1, zorder=20)

    def disc(self, x: float, y: float, radius: float, fill: str, edge: str = INK) -> None:
        """A filled circle."""
        self._axes.add_patch(Circle((x, y), radius, fc=fill, ec=edge, lw=0.8, zorder=self._over + 5))

    def words(
        self, x: float, y: float, words: str, size: float = 8, at: str = "left", bold: bool = False, ink: str = INK,
        gid: str = "words",
    ) -> None:  # fmt: skip
        """Words whose left, right or centre, and whose middle in height, is there."""
        self._axes.text(
            x, y, words, fontsize=size, ha=at, va="center", color=ink, zorder=20, gid=gid, parse_math=False,
            weight="bold" if bold else "normal",
        )  # fmt: skip
