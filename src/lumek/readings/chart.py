"""Readings as a chart."""

import os
from itertools import cycle
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

import numpy as np

from lumek._files import replacing
from lumek._harmless import LONGEST_LINE, harmless, quoted
from lumek.errors import PortError, SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.loading import load, ticks
from lumek.readings.log_lines import BEFORE
from lumek.readings.time_axis import Seconds, TimeAxis

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

INKS = ("#1f6f54", "#c4622d", "#3b5b92", "#8a5a9e", "#a8871c", "#2a8c9c", "#9c3d54", "#5d6b75")
"""One colour after another for the names; distinct for people who see red and green alike, with their marks."""

MARKS = {"missing": "|", "invalid": "x", "under": "v", "over": "^", "stale": "o"}
"""How a flaw is marked: at its value, or at the lower edge when there is none."""

GAP = 4.0
"""A pause longer than this many usual intervals is a gap, and no line goes across it."""


UNLIKE = 8.0
"""Names share an axis while it spans at most this many times the range of each."""

LONGEST_LABEL = 40

LEAST_WORDS, LONGEST_WORDS, CHARACTERS = 4, 24, 160
"""Characters of words that are written into a chart, at least and at most, and about how many fit across it."""

MOST_COLUMNS = 2560
"""Columns into which a line of very many points is put: two for each column of dots of a chart."""

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
    """A chart of logged readings over time: flaws marked, gaps left open, an axis for each unit and range.

    Long pauses between stretches of readings are cut out. Words of probes are marks with the words, below.

    readings: the frame of `load`, or a log.
    path: where to write it (.png, .svg or .pdf), 1280x800 dots.
    names: which readings, in this order, the last in front; all by default. Names with one unit share an axis, unless
        one of them would be flat on it; a third axis begins a chart below.
    gap_s: no line goes across a pause that is longer; by default four times the usual interval of a name.
    zone: time zone of the axis.
    Returns the Matplotlib figure.

    Raises SettingError for names and zones that are not there, and when there is nothing to draw, PortError when the
    file cannot be written, and PackageError without Matplotlib or pandas.
    """
    with wanted_by("lumek.readings.plot", "readings"):
        import pandas as pd
        from matplotlib.figure import Figure
    frame = readings if isinstance(readings, pd.DataFrame) else load(readings)
    if lacking := {*BEFORE} - {*frame}:
        raise SettingError(f"this is not a frame of readings: it lacks {', '.join(sorted(lacking))}")
    words = frame[frame["text"] != ""] if "text" in frame else frame[:0]
    frame = frame[frame["text"] == ""] if "text" in frame else frame
    measured = dict.fromkeys(frame["name"].unique())
    there = measured | dict.fromkeys(words["name"].unique())
    wanted = there if names is None else names
    for name in wanted:
        if name not in there:
            raise SettingError(
                f"there are no readings of {quoted(name)}: there are {', '.join(map(str, there)) or 'none'}"
            )
    if not wanted:
        raise SettingError("there is no reading to draw")
    try:
        ZoneInfo(zone)
    except (KeyError, ValueError, OSError) as problem:
        raise SettingError(f"{quoted(zone)} is not a time zone: {problem}") from None
    numbers = [name for name in wanted if name in measured]
    spoken = [name for name in wanted if name not in measured]
    groups = _groups(frame, numbers)
    shown = pd.concat([frame[frame["name"].isin(numbers)], words[words["name"].isin(spoken)]])
    axis = TimeAxis(_seconds(shown["time"]))
    figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained", facecolor="white")
    charts = (len(groups) + 1) // 2
    rows = [3.0] * charts + [0.3 + 0.35 * len(spoken)] * bool(spoken)
    below = figure.subplots(len(rows), sharex=True, squeeze=False, height_ratios=rows)[:, 0]
    inks = dict(zip(wanted, cycle(INKS), strict=False))
    flaws: set[str] = set()
    for place, of in enumerate(groups):
        own = below[place // 2] if place % 2 == 0 else below[place // 2].twinx()
        for name in of:
            flaws |= _draw(own, frame[frame["name"] == name], name, inks[name], gap_s, name == of[-1], axis)
        unit = frame.loc[frame["name"] == of[0], "unit"].iloc[0]
        label = harmless(", ".join(of) + (f" / {unit}" if unit else ""), LONGEST_LINE)
        own.set_ylabel(label, color=inks[of[0]] if len(of) == 1 else "#333333", parse_math=False)
        own.margins(x=0.01, y=0.08)
        own.spines["top"].set_visible(False)
    if spoken:
        _draw_words(below[-1], words, spoken, inks, axis)
    for own in below:
        own.grid(True, color="#e4e4e0", linewidth=0.8)
        own.spines["right"].set_visible(False)
    axis.prepare(list(below), zone)
    below[-1].set_xlabel(f"time ({zone})" + (", pauses cut out" if axis.is_cut else ""))
    _explain(figure, inks, flaws, title)
    if path is not None:
        try:
            with replacing(path) as beside:
                figure.savefig(beside)
        except (OSError, ValueError) as problem:
            raise PortError(f"{path} cannot be written: {problem}") from None
    return figure


def _groups(frame: "pd.DataFrame", names: list[str]) -> list[list[str]]:
    """Names that share an axis: of one unit, and of ranges that can all be seen on it."""
    groups: list[tuple[str, float, float, float, list[str]]] = []
    for name in names:
        rows = frame[frame["name"] == name]
        unit, values = rows["unit"].iloc[0], rows["value"].dropna()
        low, high = (float(values.quantile(share)) for share in (0.02, 0.98)) if len(values) else (0.0, 0.0)
        for place, (other, least, most, finest, of) in enumerate(groups):
            least, most = min(least, low), max(most, high)
            finest = min([span for span in (finest, high - low) if span > 0], default=0.0)
            if other == unit and (most - least <= UNLIKE * finest or most == least):
                groups[place] = other, least, most, finest, [*of, name]
                break
        else:
            groups.append((unit, low, high, high - low, [name]))
    return [of for *_, of in groups]


def _draw_words(axis: Any, words: "pd.DataFrame", names: list[str], inks: dict[str, str], time: TimeAxis) -> None:
    """A mark whenever the words of a probe change, and the words beside it where there is room."""
    for height, name in enumerate(reversed(names)):
        rows = words[words["name"] == name]
        changed = rows[rows["text"] != rows["text"].shift()]
        places = time.place(_seconds(changed["time"]))
        axis.plot(places, [height] * len(places), "|", color=inks[name], markersize=11, label=name)
        wide = float(np.ptp(time.place(_seconds(words["time"])))) or 1.0
        last = float(time.place(time.stretches[-1][1])) + wide / CHARACTERS
        for place, until, text in zip(places, [*places[1:], last], changed["text"], strict=True):
            room = min(LONGEST_WORDS, (until - place) / wide * CHARACTERS - 2)
            if room >= LEAST_WORDS:
                said = harmless(text, int(room))
                axis.annotate(said, (place, height), xytext=(5, 0), textcoords="offset points", va="center", fontsize=8,
                              color="#333333", parse_math=False, annotation_clip=True)  # fmt: skip
    axis.set_yticks(range(len(names)), [harmless(name, LONGEST_LABEL) for name in reversed(names)])
    axis.set_ylim(-0.6, len(names) - 0.4)
    axis.margins(x=0.01)
    axis.spines["top"].set_visible(False)


def _draw(
    axis: Any, rows: "pd.DataFrame", name: str, ink: str, gap_s: float | None, front: bool, time: TimeAxis
) -> set[str]:
    """Draw the readings of one name; returns the flaws that they have."""
    values = rows["value"].where(rows["flaw"].isin(["", "under", "over"])).to_numpy()
    seconds = _seconds(rows["time"])
    apart = np.diff(seconds)
    if gap_s is None:
        gap_s = GAP * float(np.median(apart[apart > 0])) if (apart > 0).any() else np.inf
    breaks = np.flatnonzero(apart > gap_s) + 1
    times = time.place(seconds)
    line_x, line_y = np.insert(times, breaks, times[breaks]), np.insert(values, breaks, np.nan)
    line_x, line_y = thinned(line_x, line_y)
    faint: dict[str, Any] = {} if front or len(line_y) < DENSE else {"linewidth": 0.9, "alpha": 0.7}
    axis.plot(line_x, line_y, color=ink, label=name, **{"linewidth": 1.6} | faint)
    known = np.pad(~np.isnan(line_y), 1)
    alone = known[1:-1] & ~known[:-2] & ~known[2:]
    if alone.any():
        axis.plot(line_x[alone], line_y[alone], ".", color=ink)
    given = rows["value"].notna().to_numpy()
    for flaw, mark in MARKS.items():
        hit = (rows["flaw"] == flaw).to_numpy()
        known = hit & given
        if known.any():
            marked = thinned(times[known], rows["value"].to_numpy()[known])
            axis.plot(*marked, mark, color=ink, markersize=7, fillstyle="none")
        if (hit & ~known).any():
            at, edge = thinned(times[hit & ~known], np.full((hit & ~known).sum(), 0.02))
            axis.plot(at, edge, mark, color=ink, markersize=7, transform=axis.get_xaxis_transform())
    return set(rows["flaw"].unique()) - {""}


def thinned(x: Seconds, y: Seconds) -> tuple[Seconds, Seconds]:
    """A line with at most four points and a gap for each of MOST_COLUMNS columns: first, lowest, highest and last.

    x: ascending. A chart has fewer columns of dots, so it shows the same range in each of them.
    """
    if len(x) <= 4 * MOST_COLUMNS:
        return x, y
    wide = float(x[-1] - x[0]) or 1.0
    columns = np.minimum(((x - x[0]) / wide * MOST_COLUMNS).astype(np.int64), MOST_COLUMNS - 1)
    starts = np.flatnonzero(np.diff(columns, prepend=-1))
    ends = np.append(starts[1:], len(x)) - 1
    gaps = np.isnan(y)
    order = np.lexsort((np.where(gaps, np.inf, y), columns))  # in each column ascending, its gaps last
    known = np.add.reduceat((~gaps).astype(np.int64), starts)
    lowest, highest = order[starts], order[starts + np.maximum(known - 1, 0)]
    first_gap = order[np.minimum(starts + known, ends)]
    kept = np.unique(np.concatenate([starts, ends, lowest, highest, first_gap]))
    return x[kept], y[kept]


def _seconds(times: "pd.Series[Any]") -> Seconds:
    """Times as seconds since 1970."""
    seconds: Seconds = times.astype("int64").to_numpy() / ticks(times)
    return seconds


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
