"""The log of readings: whole lines whatever happens, read back by the csv and json modules and by `load`."""

import csv
import errno
import json
import os
import random
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import matplotlib
import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek.errors import ClosedError, PackageError, PortError, SettingError
from lumek.readings import Log, Reading, load, plot
from lumek.readings.reading import FLAWS

HEAD = "time,name,value,unit,flaw,cause\n"
DAY = 1_782_864_000.0  # 2026-07-01T00:00:00Z
READINGS = st.builds(
    lambda value, name, unit, time, flaw, text: Reading(value, name, unit, time, flaw, text=text),
    st.one_of(st.none(), st.floats()), st.text(max_size=8), st.text(max_size=4), st.floats(0, 4e9),
    st.sampled_from([None, *FLAWS]), st.one_of(st.none(), st.text(max_size=9)),
)  # fmt: skip


@pytest.mark.parametrize("ending", ["csv", "jsonl"])
@given(readings=st.lists(READINGS, max_size=6))
def test_any_reading_is_one_line_that_standard_readers_understand(
    tmp_path_factory: pytest.TempPathFactory, ending: str, readings: list[Reading]
) -> None:
    path = tmp_path_factory.mktemp("log") / f"hive.{ending}"
    with Log(path) as log:
        for reading in readings:
            log(reading)
    lines = path.read_text(encoding="utf-8").splitlines()
    if ending == "csv":
        assert path.read_text().startswith(HEAD)
        rows: list[dict[str, Any]] = list(csv.DictReader(lines))
    else:
        rows = [json.loads(line) for line in lines]
    assert len(rows) == len(readings) == len(load(path))
    for row, reading in zip(rows, readings, strict=True):
        assert set(row) == {"time", "name", "value", "unit", "flaw", "cause"}
        assert pd.Timestamp(row["time"]).timestamp() == pytest.approx(reading.time, abs=0.0011)
        assert (row["flaw"] or None) == reading.flaw
        if reading.text is None and reading == reading and abs(reading) != float("inf"):
            assert float(row["value"]) == reading


def test_load_gives_numbers_words_times_and_flaws_in_the_order_of_time(tmp_path: Path) -> None:
    for ending in ("csv", "jsonl"):
        with Log(tmp_path / f"hive.{ending}") as log:
            log.append(Reading(41.4, "weight", "kg", DAY + 60))
            log.append(Reading(None, "brood", "°C", DAY + 0.25))
            log.append(Reading(99.0, "weight", "kg", DAY + 120, "over"))
            log.append(Reading(None, "address", time=DAY + 180, text='192.0.2.7, "hive"'))
        with (tmp_path / f"hive.{ending}").open("a") as file:
            file.write("2026-07-01T0")
        frame = load(tmp_path / f"hive.{ending}")
        assert list(frame["name"]) == ["brood", "weight", "weight", "address"]
        assert frame["time"].iloc[0] == pd.Timestamp("2026-07-01T00:00:00.250Z")
        assert frame["value"].tolist()[1:3] == [41.4, 99]
        assert frame["value"].isna().tolist() == [True, False, False, True]
        assert frame["flaw"].tolist() == ["missing", "", "over", ""]
        assert frame["text"].tolist() == ["", "", "", '192.0.2.7, "hive"']


WRITER = """
import sys
from lumek.readings import Log, Reading
log = Log(sys.argv[1], rotate_bytes=4000)
number = int(sys.argv[2])
print("ready", flush=True)
while True:
    log.append(Reading(number, "weight é", "kg"))
    number += 1
"""


@pytest.mark.slow
@pytest.mark.parametrize("ending", ["csv", "jsonl"])
def test_after_25_kills_at_random_moments_every_line_is_whole_and_none_is_lost(tmp_path: Path, ending: str) -> None:
    # 25 kills for each of the two formats: 50.
    chance, path, number = random.Random(ending), tmp_path / f"hive.{ending}", 0
    for _ in range(25):
        with subprocess.Popen([sys.executable, "-c", WRITER, str(path), str(number)], stdout=subprocess.PIPE) as writer:
            assert writer.stdout is not None
            writer.stdout.readline()
            time.sleep(chance.uniform(0, 0.03))
            writer.kill()
        parts = sorted(tmp_path.glob(f"hive*.{ending}"))
        assert all(part.read_bytes()[-1:] in (b"\n", b"") for part in parts)
        frame = load(path)
        assert frame["value"].tolist() == list(range(len(frame)))
        number = len(frame)
    assert len(parts) > 5
    assert number > 500


def test_a_log_is_continued_and_half_a_line_of_a_lost_supply_is_cut_off(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    path = tmp_path / "hive.csv"
    for half in ("", "time,na", HEAD, HEAD + "2026-07-01T00:00:00.000Z,weight,41.4,kg,\n2026-07"):
        path.write_text(half)
        assert len(load(path)) == (1 if "weight" in half else 0)
        with Log(path) as log:
            log.append(Reading(42.0, "weight", "kg", DAY))
        assert load(path)["value"].tolist()[-1] == 42
        assert path.read_text().count(HEAD) == 1
    assert "hive.csv ended in half a line of 7 bytes, which is cut off" in caplog.text
    long = "x" * 10_000
    path.write_text(HEAD + long)
    Log(path).close()
    assert path.read_text() == HEAD


def test_it_rotates_by_size_and_keeps_the_newest(tmp_path: Path) -> None:
    with Log(tmp_path / "hive.csv", rotate_bytes=1000, keep=3) as log:
        for number in range(200):
            log.append(Reading(number, "weight", "kg", DAY + number))
    files = sorted(tmp_path.iterdir())
    assert len(files) == 4
    assert files[-1].name == "hive.csv"
    assert all(900 < file.stat().st_size <= 1000 for file in files[:3])
    values = load(tmp_path / "hive.csv")["value"].tolist()
    assert values == list(range(200 - len(values), 200))
    # A reading that is longer than the limit alone is written all the same, without empty files before it.
    with Log(tmp_path / "long.jsonl", rotate_bytes=1000) as log:
        for _ in range(3):
            log.append(Reading(None, text="x" * 2000))
    assert len(load(tmp_path / "long.jsonl")) == len(list(tmp_path.glob("long*"))) == 3


def test_a_line_is_written_in_its_interval_and_at_once_when_something_changes(tmp_path: Path) -> None:
    """Three probes polled twice a second are 1.2 MB a day with 10 s between lines, instead of 26 MB."""
    with Log(tmp_path / "hive.csv", every_s=10) as log:
        for second in range(60):
            flaw, cause = ("missing", f"no answer for {second} s") if 25 <= second < 31 else (None, "")
            log.append(Reading(None if flaw else 41, "weight", "kg", DAY + second, flaw, cause=cause))
            log.append(Reading(None, "note", time=DAY + second, text="busy" if second > 12 else "calm"))
    frame = load(tmp_path / "hive.csv")
    seconds = {name: [round(time.timestamp() - DAY) for time in own["time"]] for name, own in frame.groupby("name")}
    assert seconds == {"weight": [0, 10, 20, 25, 31, 41, 51], "note": [0, 10, 13, 23, 33, 43, 53]}
    assert frame["cause"].tolist().count("no answer for 25 s") == 1


def test_it_rotates_by_age_also_after_it_was_closed_and_goes_on_with_the_columns_it_has(tmp_path: Path) -> None:
    path = tmp_path / "hive.csv"
    path.write_text(HEAD.replace(",cause", "") + "2026-07-01T00:00:00.000Z,weight,40.0,kg,\n")
    for hour in range(1, 60):
        with Log(path, rotate_s=86_400, keep=1) as log:
            log.append(Reading(None, "weight", "kg", DAY + hour * 3600, cause="unplugged"))
    assert [file.name for file in sorted(tmp_path.iterdir())] == ["hive-0002.csv", "hive.csv"]
    assert path.read_text().count("\n") == 60 - 48 + 1
    assert set(load(path)["cause"]) == {"unplugged"}
    old = tmp_path / "old.csv"
    old.write_text(HEAD.replace(",cause", "") + "2026-07-01T00:00:00.000Z,weight,40.0,kg,\n")
    with Log(old) as log:
        log.append(Reading(None, "weight", "kg", DAY, cause="unplugged"))
    assert old.read_text().splitlines()[-1] == "2026-07-01T00:00:00.000Z,weight,,kg,missing"
    assert load(old)["cause"].tolist() == ["", ""]


@pytest.mark.parametrize("renames_open", [True, False])
def test_a_log_goes_on_when_its_file_is_deleted_or_cannot_be_put_aside(
    renames_open: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("lumek.readings.log.RENAMES_OPEN", renames_open)
    path = tmp_path / "hive.csv"
    with Log(path, rotate_bytes=1000) as log:
        log(Reading(1.0, "weight", "kg", DAY))
        path.unlink()
        log(Reading(2.0, "weight", "kg", DAY))
        assert load(path)["value"].tolist() == [2]
        plain = os.open
        monkeypatch.setattr("os.open", lambda *_: (_ for _ in ()).throw(OSError(13, "Permission denied")))
        while path.stat().st_size < 970:
            log(Reading(3.0, "weight", "kg", DAY))
        with pytest.raises(PortError, match=r"hive.csv cannot be opened: Permission denied"):
            log(Reading(3.0, "weight", "kg", DAY))
        monkeypatch.setattr("os.open", plain)
        log(Reading(4.0, "weight", "kg", DAY))
    assert sorted(file.name for file in tmp_path.iterdir()) == ["hive-0001.csv", "hive.csv"]
    assert load(path)["value"].tolist()[::20] == [2, 3]
    assert load(path)["value"].tolist()[-1] == 4


def test_what_a_log_refuses(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "hive.csv"
    log = Log(path, sync=True)
    with pytest.raises(PortError, match=r"hive.csv cannot be written: another program is writing it"):
        Log(path)
    log.close()
    log.close()
    with pytest.raises(ClosedError, match="is closed"):
        log.append(Reading(1.0))
    for name, text in (("other.csv", "a,b\n1,2\n"), ("half.csv", "precious"), ("half.jsonl", "precious")):
        (tmp_path / name).write_text(text)
    for call, error, message in (
        (lambda: Log(tmp_path / "hive.txt"), SettingError, "a log's name ends in .csv or .jsonl, not 'hive.txt'"),
        (lambda: Log(path, rotate_bytes=10), SettingError, "rotate_bytes must be 1000 or more, not 10"),
        (lambda: Log(path, keep=2), SettingError, "needs rotate_bytes"),
        (lambda: Log(tmp_path / "no" / "hive.csv"), PortError, "cannot be opened: No such file"),
        (lambda: Log(tmp_path / "other.csv"), SettingError, "is not a log: its first line is not 'time,name,"),
        (lambda: load(tmp_path / "none.csv"), PortError, "cannot be read: No such file"),
        (lambda: load(tmp_path / "other.csv"), SettingError, "is not a log of readings: it has a, b instead of time,"),
        (lambda: load(tmp_path / "half.csv"), SettingError, "is not a log of readings: it has no columns instead of"),
        (lambda: load(tmp_path / "half.jsonl"), SettingError, "its first line has no time, name, value"),
        (lambda: load(tmp_path / "hive.xml"), SettingError, "ends in .csv or .jsonl"),
        (lambda: plot(load(path).drop(columns="unit")), SettingError, "this is not a frame of readings: it lacks unit"),
        (lambda: log.append(3.0), SettingError, "3.0 is not a reading"),
        (lambda: plot(path), SettingError, "there is no reading to draw"),
    ):
        with pytest.raises(error, match=message):
            call()
    with Log(tmp_path / "full.csv") as log:
        monkeypatch.setattr("os.write", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
        with pytest.raises(PortError, match=r"full.csv cannot be written: No space left on device"):
            log.append(Reading(1.0))
    monkeypatch.undo()
    monkeypatch.setitem(sys.modules, "pandas", None)
    with pytest.raises(PackageError, match=r"lumek.readings.load needs pandas: pip install 'lumek\[readings\]'"):
        load(path)


def test_a_full_disk_leaves_no_half_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with Log(tmp_path / "hive.jsonl") as log:
        log.append(Reading(1.0, time=DAY))
        plain = os.write
        monkeypatch.setattr("os.write", lambda file, data: plain(file, data[:10]))
        with pytest.raises(PortError, match="no space left"):
            log.append(Reading(2.0, time=DAY))
        monkeypatch.undo()
        log.append(Reading(3.0, time=DAY))
    assert load(tmp_path / "hive.jsonl")["value"].tolist() == [1, 3]


def test_the_chart_marks_flaws_leaves_gaps_and_has_an_axis_for_each_unit(tmp_path: Path) -> None:
    with Log(tmp_path / "hive.csv") as log:
        for minute in [*range(60), *range(120, 180)]:
            time = DAY + 60 * minute
            flaw = "over" if minute in (30, 31) else None
            log(Reading(None if minute == 10 else 40 + minute / 100, "weight", "kg", time, flaw))
            log(Reading(34.5, "brood", "°C", time, "stale" if 140 <= minute < 150 else None))
            log(Reading(220, "hum", "Hz", time))
            log(Reading(None, "address", time=time, text="192.0.2.7"))
    out = tmp_path / "hive.png"
    figure = plot(tmp_path / "hive.csv", out, title="Hive 3", zone="Europe/Vienna")
    assert out.read_bytes()[16:24] == (1280).to_bytes(4, "big") + (800).to_bytes(4, "big")
    assert [axis.get_ylabel() for axis in figure.axes] == ["weight / kg", "hum / Hz", "", "brood / °C"]
    weight, hum, words, brood = figure.axes
    assert [text.get_text() for text in words.texts] == ["192.0.2.7"]
    assert [label.get_text() for label in words.get_yticklabels()] == ["address"]
    line = next(line for line in weight.lines if line.get_label() == "weight")
    values = pd.Series(line.get_ydata())
    assert values.isna().sum() == 2  # the missing one, and the pause of an hour
    assert values.notna().sum() == 119
    marks = {line.get_marker(): len(line.get_xdata()) for line in weight.lines if line.get_marker() != "None"}
    assert marks == {"|": 1, "^": 2}
    assert [len(line.get_xdata()) for line in brood.lines if line.get_marker() == "o"] == [10]
    assert [text.get_text() for text in figure.legends[0].texts] == [
        "weight",
        "brood",
        "hum",
        "address",
        "missing",
        "over",
        "stale",
    ]
    assert weight.get_shared_x_axes().joined(weight, hum)
    assert len(plot(load(tmp_path / "hive.csv"), names=["brood"]).axes) == 1
    with pytest.raises(SettingError, match="there are no readings of 'mead': there are weight, brood, hum, address"):
        plot(tmp_path / "hive.csv", names=["mead"])
    with pytest.raises(SettingError, match="'Hive/Three' is not a time zone"):
        plot(tmp_path / "hive.csv", zone="Hive/Three")
    with pytest.raises(PortError, match="cannot be written"):
        plot(tmp_path / "hive.csv", tmp_path / "no" / "hive.png")
    assert matplotlib.get_backend()  # nothing was drawn on a screen


def test_a_chart_gives_each_range_an_axis_and_cuts_out_months_of_nothing(tmp_path: Path) -> None:
    with Log(tmp_path / "hive.csv") as log:
        for day in (0, 31, 95):
            for minute in range(0, 600, 10):
                time, wave = DAY + day * 86_400 + minute * 60, np.sin(minute / 90)
                log(Reading(41 + wave, "weight", "kg", time))
                log(Reading(40 + 2 * wave, "other", "kg", time))
                log(Reading(abs(wave), "honey", "kg", time))
                log(Reading(None, "note", time=time, text="busy" if minute > 300 else "calm"))
    figure = plot(tmp_path / "hive.csv")
    assert [axis.get_ylabel() for axis in figure.axes] == ["weight, other / kg", "", "honey / kg"]
    weight, words, honey = figure.axes
    assert honey.get_ylim()[1] < 2
    drawn = next(line for line in weight.lines if line.get_label() == "weight").get_xdata()
    hours = np.diff(drawn).max() * 24
    assert 0.5 < hours < 3  # what is left of a month, among stretches of ten hours
    assert [label.get_text().partition("\n")[2] for label in words.get_xticklabels() if "\n" in label.get_text()] == [
        "2026-07-01", "2026-08-01", "2026-10-04",
    ]  # fmt: skip
    assert "pauses cut out" in words.get_xlabel()
    assert len(next(line for line in words.lines if line.get_label() == "note").get_xdata()) == 6
    assert len(plot(tmp_path / "hive.csv", names=["note"]).axes) == 1


WEIGHT = Reading(41.4, "weight", "kg", 0.0)
FOREIGN = [
    ("s.jsonl", '{"precious": 1}'), ("s.jsonl", '{"precious": 1}\n'), ("s.jsonl", "dear diary"), ("s.jsonl", "[1]\n"),
    ("s.csv", "tim"), ("s.csv", "name,time\n"), ("s.csv", "\x00" * 50), ("s.jsonl", "{" * 5000),
]  # fmt: skip


@pytest.mark.parametrize(("name", "content"), FOREIGN)
def test_a_file_that_is_not_a_log_is_refused_and_stays_as_it_is(tmp_path: Path, name: str, content: str) -> None:
    path = tmp_path / name
    path.write_text(content)
    with pytest.raises(SettingError, match="is not a log"):
        Log(path)
    assert path.read_text() == content
    with Log(tmp_path / f"own{path.suffix}") as log:
        log(WEIGHT)
    own = log.path.read_text()
    log.path.write_text(own + "notes of mine")
    if path.suffix == ".jsonl":
        with pytest.raises(SettingError, match="its last line is not one of a log"):
            Log(log.path)


LINE = '{"time": "2026-07-01T06:00:00.000Z", "name": "a", "value": 1.5, "unit": "kg", "flaw": null, "cause": null}'
LINES = [
    LINE, LINE, LINE.replace('"a"', '"a{"'), LINE.replace('"a"', '"a["'), LINE.replace("1.5", "null"), "", "  ", "5",
    f"{LINE}, {LINE}", f"{LINE},", f"{LINE}, 5", LINE[:39], LINE[39:], '{"time": {', "{}}", '"{', "[", f"{LINE[:39]}{{",
]  # fmt: skip


@given(lines=st.lists(st.sampled_from(LINES), max_size=5))
def test_each_line_of_json_lines_is_read_by_itself(tmp_path_factory: pytest.TempPathFactory, lines: list[str]) -> None:
    path = tmp_path_factory.mktemp("lines") / "hive.jsonl"
    path.write_text("\n".join([LINE, *lines, ""]))
    try:
        names = [json.loads(line)["name"] for line in [LINE, *lines] if line.strip()]
    except (ValueError, TypeError):
        with pytest.raises(SettingError, match="is not a log"):
            load(path)
    else:
        assert load(path)["name"].tolist() == names


def test_what_is_not_an_ordinary_file_is_refused_at_once(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.csv")
    with pytest.raises(SettingError, match="is not an ordinary file"):
        Log(tmp_path / "pipe.csv")
    with pytest.raises(PortError, match="is not an ordinary file"):
        load(tmp_path / "pipe.csv")


@pytest.mark.parametrize("name", ["hive.csv", "hive.jsonl"])
def test_a_log_that_is_renamed_or_emptied_is_begun_anew(tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    with Log(path) as log:
        log(WEIGHT)
        path.rename(tmp_path / f"old-{name}")  # logrotate
        log(WEIGHT)
        os.truncate(path, 0)  # logrotate with copytruncate
        log(WEIGHT)
        log(WEIGHT)
        path.unlink()
        log(WEIGHT)
    with Log(path) as log:
        log(WEIGHT)
    assert (len(load(path)), len(load(tmp_path / f"old-{name}"))) == (2, 1)


def test_no_text_is_a_formula_in_a_spreadsheet_and_it_comes_back_as_it_was(tmp_path: Path) -> None:
    texts = ["@SUM(1)", "+1+cmd|'/c calc'!A0", "=1+1", "-a", "'=quoted", "'plain", "41 kg", "'"]
    with Log(tmp_path / "s.csv") as log:
        for text in texts:
            log(Reading(None, text, text, 0.0, text=text))
    with (tmp_path / "s.csv").open(newline="") as file:
        rows = list(csv.reader(file))[1:]
    assert not any(cell[:1] in {*"=+-@"} for row in rows for cell in row)
    frame = load(tmp_path / "s.csv")
    assert [list(frame[column]) for column in ("name", "text", "unit")] == [texts] * 3


def test_a_close_that_fails_is_told_and_the_log_is_closed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    log = Log(tmp_path / "s.csv")
    real = os.close

    def fails(file: int) -> None:
        real(file)
        raise OSError(errno.EIO, "Input/output error")

    with monkeypatch.context() as patch:
        patch.setattr(os, "close", fails)
        with pytest.raises(PortError, match="cannot be closed: Input/output error"):
            log.close()
    log.close()


def test_a_log_is_read_piece_by_piece_and_thinned(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("lumek.readings.loading.PIECE", 500)
    for ending in ("csv", "jsonl"):
        path = tmp_path / f"long.{ending}"
        with Log(path) as log:
            for number in range(100):
                flaw = "stale" if number in (33, 34) else None
                log.append(Reading(number, "weight", "kg", time=1_750_000_000.0 + number, flaw=flaw))
                log.append(Reading(number / 10, "brood", "C", time=1_750_000_000.0 + number))
        with path.open("ab") as file:
            file.write(b"half a li")
        frame = load(path)
        assert list(frame["value"][frame["name"] == "weight"]) == list(range(100))
        thin = load(path, thin_s=10)
        weight = thin[thin["name"] == "weight"]
        assert list(weight["value"]) == [0, 10, 20, 30, 33, 40, 50, 60, 70, 80, 90]
        assert list(weight["flaw"]).count("stale") == 1
        assert len(thin[thin["name"] == "brood"]) == 10
    with pytest.raises(SettingError, match="thin_s"):
        load(path, thin_s=-1)
