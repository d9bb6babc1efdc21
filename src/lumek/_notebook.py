"""The picture of a panel in a notebook, real or simulated; apart, so that no microcontroller loads it."""

from io import BytesIO
from typing import TYPE_CHECKING

from lumek._simulate import simulate
from lumek.views.picture import picture

if TYPE_CHECKING:
    from lumek.core.cells import Cells
    from lumek.panel import Panel


def png_of(panel: "Panel", cells: "Cells") -> bytes:
    """A picture of what a panel shows, as PNG: of its twin, or of a simulated panel that is given the same.

    cells: what is written in the cells of the panel.
    """
    twin = panel.twin
    if twin is None:
        double = simulate(panel.size, cells.rom)
        with double.together():
            for character in panel.glyphs:
                double.glyphs[character] = panel.glyphs[character]
            for row in range(panel.shape[0]):
                double[row] = cells.contents(row)
            double.visible, double.backlight = panel.visible, bool(panel.backlight)
        twin = double.twin
        assert twin is not None
    file = BytesIO()
    picture(twin).save(file, format="PNG")
    return file.getvalue()
