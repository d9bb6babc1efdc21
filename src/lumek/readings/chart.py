"""Readings as a chart."""

import os
from itertools import cycle
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from lumek._files import replacing
from lumek._harmless import LONGEST_LINE, harmless, quoted
from lumek.errors import PortError, SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.log import COLUMNS, load

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

INKS = ("#1f6f54", "#c4622d", "#3b5b92", "#8a5a9e", "#a8871c", "#2a8c9c", "#9c3d54", "#5d6b75")
"""One colour after another for the names; distinct for people who see red and green alike, with their marks."""

MARKS = {"missing": "|", "invalid": "x", "under": "v", "over": "^", "stale": "o"}
"""How a flaw is marked: at its value, or at the lower edge when there is none."""

GAP = 4.0
"""A pause longer than this many usual intervals is a gap, and no line goes across it."""


LONGEST_LABEL = 40

DENSE = 300
"""Readings of one name from which on its line is faint, if another name of its unit is in front of it."""


def plot(
    readings: "pd.DataFrame | str | os.PathLike[str]",
    path: str | os.PathLike[str] | None = None,
    *,
    names: list[str] | None = None,
    title: str = "",
    gap_s: float | None = None,
    zone: str = "UTC",
) -> "Figure":
    """A chart of logged readings over time: flaws marked, gaps left open, a second axis for a second unit.

    readings: the frame of `load`, or a log.
    path: where to write it (.png, .svg or .pdf), 1280x800 dots.
    names: which readings, in this order, the last in front; all by default. Names with one unit share an axis; a third
        unit begins a chart below.
    gap_s: no line goes across a pause that is longer; by default four times the usual interval of a name.
    zone: time zone of the axis.
    Returns the Matplotlib figure.

    Raises SettingError for names and zones that are not there and for readings without a number, PortError when the
    file cannot be written, and PackageError without Matplotlib or pandas.
    """
    with wanted_by("lumek.readings.plot", "readings"):
        import matplotlib.dates
        import pandas as pd
        from matplotlib.figure import Figure
    frame = readings if isinstance(readings, pd.DataFrame) else load(readings)
    if lacking := {*COLUMNS} - {*frame}:
        raise SettingError(f"this is not a frame of readings: it lacks {', '.join(sorted(lacking))}")
    frame = frame[frame["text"] == ""] if "text" in frame else frame
    there = list(dict.fromkeys(frame["name"]))
    wanted = there if names is None else names
    for name in wanted:
        if name not in there:
            raise SettingError(
                f"there are no readings of {quoted(name)}: there are {', '.join(map(str, there)) or 'none'}"
            )
    if not wanted:
        raise SettingError("no reading has a number to draw")
    try:
        ZoneInfo(zone)
    except (KeyError, ValueError, OSError) as problem:
        raise SettingError(f"{quoted(zone)} is not a time zone: {problem}") from None
    units = {name: frame.loc[frame["name"] == name, "unit"].iloc[0] for name in wanted}
    kinds = list(dict.fromkeys(units.values()))
    figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained", facecolor="white")
    below = figure.subplots((len(kinds) + 1) // 2, sharex=True, squeeze=False)[:, 0]
    axes = {
        unit: below[place // 2] if place % 2 == 0 else below[place // 2].twinx() for place, unit in enumerate(kinds)
    }
    inks = dict(zip(wanted, cycle(INKS), strict=False))
    flaws: set[str] = set()
    for name in wanted:
        front = name == [other for other in wanted if units[other] == units[name]][-1]
        flaws |= _draw(axes[units[name]], frame[frame["name"] == name], name, inks[name], gap_s, front)
    for unit, axis in axes.items():
        of = [name for name in wanted if units[name] == unit]
        words = harmless(", ".join(of) + (f" / {unit}" if unit else ""), LONGEST_LINE)
        axis.set_ylabel(words, color=inks[of[0]] if len(of) == 1 else "#333333", parse_math=False)
        axis.margins(x=0.01, y=0.08)
        axis.spines["top"].set_visible(False)
    for axis in below:
        axis.grid(True, color="#e4e4e0", linewidth=0.8)
        axis.spines["right"].set_visible(False)
    dates: Any = matplotlib.dates
    locator = dates.AutoDateLocator(tz=zone)
    below[-1].xaxis.set_major_locator(locator)
    below[-1].xaxis.set_major_formatter(dates.ConciseDateFormatter(locator, tz=zone))
    below[-1].set_xlabel(f"time ({zone})")
    _explain(figure, inks, flaws, title)
    if path is not None:
        try:
            with replacing(path) as beside:
                figure.savefig(beside)
        except (OSError, ValueError) as problem:
            raise PortError(f"{path} cannot be written: {problem}") from None
    return figure


def _draw(axis: Any, rows: "pd.DataFrame", name: str, ink: str, gap_s: float | None, front: bool) -> set[str]:
    """Draw the readings of one name; returns the flaws that they have."""
    import numpy as np

    values = rows["value"].where(rows["flaw"].isin(["", "under", "over"])).to_numpy()
    seconds = rows["time"].astype("int64").to_numpy() / _ticks(rows["time"])
    apart = np.diff(seconds)
    if gap_s is None:
        gap_s = GAP * float(np.median(apart[apart > 0])) if (apart > 0).any() else np.inf
    breaks = np.flatnonzero(apart > gap_s) + 1
    times = rows["time"].dt.tz_convert("UTC").dt.tz_localize(None).to_numpy()
    line_x, line_y = np.insert(times, breaks, times[breaks]), np.insert(values, breaks, np.nan)
    faint: dict[str, Any] = {} if front or len(line_y) < DENSE else {"linewidth": 0.9, "alpha": 0.7}
    axis.plot(line_x, line_y, color=ink, label=name, **{"linewidth": 1.6} | faint)
    known = np.pad(~np.isnan(line_y), 1)
    alone = known[1:-1] & ~known[:-2] & ~known[2:]
    if alone.any():
        axis.plot(line_x[alone], line_y[alone], ".", color=ink)
    for flaw, mark in MARKS.items():
        hit = (rows["flaw"] == flaw).to_numpy()
        known = hit & rows["value"].notna().to_numpy()
        if known.any():
            axis.plot(times[known], rows["value"].to_numpy()[known], mark, color=ink, markersize=7, fillstyle="none")
        if (hit & ~known).any():
            edge = np.full((hit & ~known).sum(), 0.02)
            axis.plot(times[hit & ~known], edge, mark, color=ink, markersize=7, transform=axis.get_xaxis_transform())
    return set(rows["flaw"]) - {""}


def _ticks(times: "pd.Series[Any]") -> float:
    """How many of a time column's whole numbers make a second."""
    return {"s": 1.0, "ms": 1e3, "us": 1e6, "ns": 1e9}[str(getattr(times.dtype, "unit", "ns"))]


def _explain(figure: "Figure", inks: dict[str, str], flaws: set[str], title: str) -> None:
    """The legend below, names and flaws, and the title above."""
    from matplotlib.lines import Line2D

    shown = [Line2D([], [], color=ink, linewidth=2, label=_label(name)) for name, ink in inks.items()]
    shown += [
        Line2D(
            [], [], color="#555555", marker=MARKS[flaw], linestyle="none", fillstyle="none", markersize=7, label=flaw
        )
        for flaw in MARKS
        if flaw in flaws
    ]
    for words in figure.legend(handles=shown, loc="outside lower center", ncols=9, frameon=False).get_texts():
        words.set_parse_math(False)
    if title:
        figure.suptitle(harmless(title, LONGEST_LINE), fontsize=14, parse_math=False)


def _label(name: str) -> str:
    """A name in the legend, which would leave out one that begins with an underscore."""
    name = harmless(name, LONGEST_LABEL)
    return f" {name}" if name.startswith("_") else name
