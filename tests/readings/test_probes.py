"""Readings, and where they come from on the host itself: never an exception, and never fresh when they are not."""

import copy
import os
import pickle
import pty
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest

import lumek
from lumek.errors import PackageError, PortError, SettingError
from lumek.readings import (
    FunctionProbe,
    GrowingTable,
    HandClock,
    HostProbe,
    InputText,
    Log,
    Poller,
    Probe,
    Reading,
    Replay,
    SerialText,
    SimulatedProbe,
    TcpText,
    kernel_probe,
    load,
    sensors,
)
from lumek.readings.smoothing import MovingMean
from support.waiting import until

NAN, INF = float("nan"), float("inf")


def test_a_reading_is_its_number_and_knows_the_rest() -> None:
    weight = Reading(41.4, "weight", "kg", 0.0)
    assert (weight, weight + 1, f"{weight:.2f}", str(weight), hash(weight)) == (41.4, 42.4, "41.40", "41.4", hash(41.4))
    assert (weight.name, weight.unit, weight.flaw, weight.good) == ("weight", "kg", None, True)
    assert weight.when == datetime(1970, 1, 1, tzinfo=UTC)
    assert repr(weight) == "<Reading 41.4 'weight' 'kg' 1970-01-01T00:00:00.000Z>"
    assert weight.but(flaw="over", cause="above 40").described() == "weight 41.4 kg (over: above 40)"
    assert Reading(None, "brood", "°C").described() == "brood -- °C (missing)"
    for other in (pickle.loads(pickle.dumps(weight)), copy.deepcopy(weight)):
        assert (other, repr(other), type(other)) == (weight, repr(weight), Reading)
    panel = lumek.simulate("16x2")
    panel[0] = weight
    assert panel.rows[0].strip() == "41.4"
    assert [Reading(value).flaw for value in (None, NAN, INF)] == ["missing", "invalid", "invalid"]
    words = Reading(None, "address", text="192.0.2.7")
    assert (words.good, words.described()) == (True, "address 192.0.2.7")


@pytest.mark.parametrize(("value", "number", "flaw"), [
    (3, 3, None), (" 4.5 ", 4.5, None), (b"7", 7, None), (True, 1, None), (Reading(2.0, "x"), 2, None),
    (None, NAN, "missing"), ("", NAN, "missing"),
    ("warm", NAN, "invalid"), (NAN, NAN, "invalid"),
    ("inf", NAN, "invalid"), ([1], NAN, "invalid"),
    (10**400, NAN, "invalid"), (object(), NAN, "invalid"), ("x" * 10**6, NAN, "invalid"),
])  # fmt: skip
def test_anything_becomes_a_reading(value: object, number: float, flaw: str | None) -> None:
    probe = FunctionProbe("weight", lambda: value, "kg", low=0.5, high=100)
    for reading in (Reading.of(value), probe.poll()):
        assert float(reading) == pytest.approx(number, nan_ok=True)
        assert reading.flaw == flaw
        assert len(reading.cause) < 100
    assert probe.poll().unit == "kg"


def test_what_goes_wrong_is_the_flaw_and_its_cause() -> None:
    def fail(problem: BaseException) -> object:
        raise problem

    for problem, cause in ((OSError("unplugged"), "unplugged"), (ZeroDivisionError(), "ZeroDivisionError"),
                           (SystemExit(3), "3"), (RuntimeError("a\nb" * 999), "a b")):  # fmt: skip
        reading = FunctionProbe("weight", lambda problem=problem: fail(problem), "kg").poll()
        assert (reading.flaw, reading.unit, reading.cause[: len(cause)]) == ("missing", "kg", cause)
        assert len(reading.cause) <= 200
    for value, flaw in ((-0.1, "under"), (0.0, None), (50.0, None), (50.1, "over")):
        reading = FunctionProbe("weight", lambda value=value: value, low=0, high=50).poll()
        assert (reading, reading.flaw) == (value, flaw)


def test_a_probe_that_is_polled_too_fast_gives_its_last_reading_with_its_age() -> None:
    clock, calls = HandClock(1000), []
    probe = FunctionProbe("brood", lambda: calls.append(1) or len(calls), shortest_s=2, lifetime_s=5, clock=clock)
    assert (probe.poll(), probe.poll().age_s) == (1, 0)
    clock.advance(1.5)
    assert (probe.poll(), probe.poll().age_s, probe.poll().time) == (1, 1.5, 1000)
    clock.advance(0.5)
    assert (probe.poll(), probe.poll().time) == (2, 1002)
    for settings, message in (({"shortest_s": -1}, "shortest_s of 'brood' must be 0 to 100000000"),
                              ({"lifetime_s": 0}, "lifetime_s of 'brood' must be 0.001 to"),
                              ({"low": 5, "high": 5}, "low of 'brood' must be below its high")):  # fmt: skip
        with pytest.raises(SettingError, match=message):
            FunctionProbe("brood", len, **settings)


def test_conversions_and_filters_behind_a_probe() -> None:
    clock = HandClock()
    raw: list[Any] = [1.0, 3.0, 3.0, None, "?", 900.0, 2.0]
    probe = FunctionProbe("level", lambda: raw[0], "V", high=800, clock=clock)
    shown = probe.through(lambda volts: 10 * volts, MovingMean(2), lambda value: 1 / (value - 30), unit="mm", high=0.5)
    out = []
    for _ in range(len(raw)):
        out += [shown.poll(), shown.poll()]  # polled twice at one time: fed once
        raw.pop(0)
        clock.advance(1)
    assert out[::2] == pytest.approx(out[1::2], nan_ok=True)
    assert [(round(float(r), 3) if r == r else None, r.flaw) for r in out[::2]] == [
        (-0.05, None), (-0.1, None), (None, "invalid"), (None, "missing"), (None, "invalid"), (0.0, "over"),
        (-0.1, None)]  # fmt: skip
    assert "float division by zero" in out[4].cause
    assert {reading.unit for reading in out} == {"mm"}
    smooth = MovingMean(2) | (lambda value: value)
    probe.through(smooth)
    with pytest.raises(SettingError, match="already follows the probe 'level': give 'brood' its"):
        FunctionProbe("brood", len).through(smooth)
    FunctionProbe("brood", len).through(smooth.copy())
    with pytest.raises(SettingError, match="5 cannot follow 'level'"):
        probe.through(5)
    nowhere = FunctionProbe("level", lambda: 5.0).through(lambda value: NAN).poll()
    assert (nowhere.flaw, nowhere.cause) == ("invalid", "5 is outside of what <lambda> knows")


def test_a_recording_runs_at_its_pace_faster_and_in_a_loop(tmp_path: Path) -> None:
    day = tmp_path / "day.csv"
    day.write_bytes((files("lumek") / "data" / "hive_day.csv").read_bytes())
    midnight = 1_782_864_000.0
    for loop in (False, True):
        clock = HandClock(midnight + 5000)
        replay = Replay(day, speed=3600, loop=loop, clock=clock)
        weight, foragers = replay.probe("weight", "kg", column="weight_kg"), replay.probe("foragers_per_min")
        assert (weight.poll(), weight.poll().time, weight.poll().unit) == (40.54, midnight, "kg")
        clock.advance(12.01)
        assert (weight.poll().when.hour, foragers.poll()) == (12, 113)
        clock.advance(11.99)
        assert replay.ended is not loop
        clock.advance(1.5)
        assert (weight.poll().flaw, weight.poll().time) == (
            (None, midnight + 25.5 * 3600) if loop else ("stale", midnight + 23 * 3600 + 50 * 60))  # fmt: skip


def test_a_recording_has_gaps_words_and_values_that_grow_old(tmp_path: Path) -> None:
    clock = HandClock(0)
    gap = tmp_path / "gap.jsonl"
    gap.write_text('{"time": 0, "a": 1, "b": "x"}\n{"time": 1, "a": null}\n{"time": 2, "a": 3}\n{"time": 60, "a": 4}\n')
    probe = (replay := Replay(gap, clock=clock)).probe("a")
    words = replay.probe("b", words=True)
    found = []
    for at in (0.5, 0.5, 1, 2, 3, 53, 1):  # to 0.5, 1, 2, 4, 7, 60 and 61 seconds
        clock.advance(at)
        found.append((float(probe.poll()), probe.poll().flaw, words.poll().text))
    assert [flaw for _, flaw, _ in found] == [None, "missing", None, None, "stale", None, None]
    assert [value for value, _, _ in found] == pytest.approx([1, NAN, 3, 3, 3, 4, 4], nan_ok=True)
    assert [text for _, _, text in found] == ["x", *[None] * 6]


def test_a_log_is_a_recording_with_its_names_flaws_and_units(tmp_path: Path) -> None:
    with Log(tmp_path / "log.csv") as log:
        for second in range(5):
            log(Reading(second, "weight", "kg", second))
            log(Reading(second * 2.0, "brood", "°C", second))
    clock = HandClock()
    again = Replay(tmp_path / "log.csv", clock=clock)
    assert sorted(again.columns) == ["brood", "weight"]
    clock.advance(3.2)
    assert (again.probe("brood").poll(), again.probe("brood").poll().age_s) == (6, pytest.approx(0.2))
    # A log as a poller writes it: names at times of their own, and flaws, which come again.
    with Log(tmp_path / "uneven.csv") as log:
        for value, name, time, flaw, text in ((40, "weight", 0, None, None), (34, "brood", 0.3, None, None),
                                              (None, "weight", 1, None, None), (99, "weight", 2, "over", None),
                                              (None, "host", 2.5, None, "192.0.2.7")):  # fmt: skip
            log(Reading(value, name, "kg" if name == "weight" else "", time, flaw, text=text))
    clock = HandClock()
    again = Replay(tmp_path / "uneven.csv", clock=clock)
    weight, brood, host = (again.probe(name, lifetime_s=9) for name in ("weight", "brood", "host"))
    assert brood.poll().cause == "the recording of 'brood' begins 0.3 s from now"
    assert (weight.poll(), weight.poll().unit) == (40, "kg")
    clock.advance(1.1)
    assert (weight.poll().flaw, brood.poll(), brood.poll().flaw) == ("missing", 34, None)
    clock.advance(1.5)
    assert (weight.poll(), weight.poll().flaw, host.poll().text, host.poll().good) == (99, "over", "192.0.2.7", True)


# A file as some program writes it; the time of its last line, the hours since its first one, and its weight.
WORLD = [
    ("Datum;Gewicht\n03.07.2026 06:00;41,4\n03.07.2026 07:30;1.041,5\n", "2026-07-03T07:30", 1.5, 1041.5),
    ("sep=;\nDatum;Uhrzeit;Gewicht\n3.7.26;6:00;41,4\n3.7.26;7:30:00,0;41\n", "2026-07-03T07:30", 1.5, 41),
    ("Date\tTime\tGewicht\n07/03/2026\t6:00 AM\t1\n07/13/2026\t1:30 PM\t41.6\n", "2026-07-13T13:30", 247.5, 41.6),
    ("timestamp,Gewicht\n2026/07/03 06:00:00,1\n2026-07-03T07:30:00Z,41.6\n", "2026-07-03T07:30", 1.5, 41.6),
    ("Time (UTC)|Gewicht\n1783058400|1\n1783058400000|41.4\n", "2026-07-03T06:00", 0, 41.4),
    ("\ufeffGewicht;zeit\n;2026-07-03 06:00\n41,4;2026-07-03 07:00\n", "2026-07-03T07:00", 1, 41.4),
]  # fmt: skip


@pytest.mark.parametrize(("text", "time", "hours", "weight"), WORLD)
@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "cp1252"])
def test_a_recording_of_another_program_is_read_as_it_was_meant(
    text: str, time: str, hours: float, weight: float, encoding: str, tmp_path: Path
) -> None:
    text = text if encoding == "utf-8" else text.strip("\ufeff")
    (tmp_path / "day.csv").write_bytes(text.encode(encoding))
    clock = HandClock(0)
    with Replay(tmp_path / "day.csv", clock=clock) as replay:
        clock.advance(hours * 3600)
        reading = replay.probe("weight", column="Gewicht").poll()
    assert (reading, f"{reading.when:%Y-%m-%dT%H:%M}") == (weight, time)


def test_dates_that_may_be_two_are_asked_for(tmp_path: Path) -> None:
    file = tmp_path / "day.csv"
    file.write_text("date,a\n3/7/2026,1\n4/7/2026,2\n")
    with pytest.raises(SettingError, match="3/7 may be a day and a month, or the reverse: add dates = 'day-first' or"):
        Replay(file)
    days = {}
    for said in ("day-first", "month-first"):
        with Replay(file, dates=said, clock=HandClock(0)) as replay:
            days[said] = replay.length_s / 2 / 86_400
    assert days == {"day-first": 1, "month-first": 31}


def test_a_growing_table_is_followed_when_it_is_appended_to_emptied_and_replaced(tmp_path: Path) -> None:
    file = tmp_path / "station.csv"
    with GrowingTable(file, every_s=0.01) as table:
        weight, note = table.probe("weight"), table.probe("note", words=True)
        assert weight.may_come
        until(lambda: "No such file" in weight.poll().cause)
        file.write_text("time;weight;note\n06:00;41,4;calm\n06:10;4")
        until(lambda: weight.poll() == 41.4)
        assert not weight.may_come
        with file.open("a") as more:
            more.write("1,9;busy\n\n")
        until(lambda: (float(weight.poll()), note.poll().text) == (41.9, "busy"))
        file.write_text("weight\n7\n")
        until(lambda: weight.poll() == 7)
        (tmp_path / "new.csv").write_text("note,weight\n" + "calm,8\n" * 20_000)
        (tmp_path / "new.csv").replace(file)
        until(lambda: weight.poll() == 8)
        with file.open("a") as more:
            more.write("a,b,c\n")
        until(lambda: table.rejected == 1)
        assert "a line has 3 values, and there are 2 names" in table.trouble


def test_a_recording_is_read_as_spreadsheets_write_it_and_a_wrong_one_is_refused(tmp_path: Path) -> None:
    midnight = 1_782_864_000.0
    for text, message in (("time,a\n", "no line of values"), ("a,b\n1,2\n", "no column .time. or of a similar name"),
                          ("time,a\nnoon,1\n", "a time cannot be read"), ("time,a\n2,1\n1,1\n", "missing or go back"),
                          ("", "is not a recording"), ("time,a,a\n1,2,3\n", "has two columns 'a'"),
                          ("time,a\n1,2,3\n", "line 2 has 3 values, and there are 2 names")):  # fmt: skip
        (tmp_path / "bad.csv").write_text(text)
        with pytest.raises(SettingError, match=message):
            Replay(tmp_path / "bad.csv")
    (tmp_path / "night.csv").write_text("\ufefftime,a\n23:50,1\n0:10:00,2\n")  # as spreadsheets write it
    clock = HandClock(midnight)
    night = Replay(tmp_path / "night.csv", clock=clock).probe("a")
    clock.advance(1200)
    assert (night.poll(), night.poll().time) == (2, midnight + 86_400 + 600)
    with pytest.raises(PortError, match=r"none.csv cannot be read: No such file"):
        Replay(tmp_path / "none.csv")
    with pytest.raises(SettingError, match="has no column 'mead': it has weight"):
        Replay(Path(str(files("lumek") / "data/hive_day.csv"))).probe("mead")


@pytest.mark.slow
def test_a_simulated_sensor_swings_strays_spikes_and_drops_out_and_is_the_same_again() -> None:
    def run(seed: int, **settings: float) -> list[Reading]:
        clock = HandClock()
        probe = SimulatedProbe("brood", 34, "°C", seed=seed, clock=clock, **settings)
        out = []
        for _ in range(3600):
            out.append(probe.poll())
            clock.advance(1)
        return out

    all_of = {"swing": 1, "period_s": 400, "drift_per_h": 2, "noise": 0.01, "spike": 30, "spike_chance": 0.05,
              "dropout_every_s": 300, "dropout_s": 20}  # fmt: skip
    first = run(7, **all_of)
    assert [repr(reading) for reading in run(7, **all_of)] == [repr(reading) for reading in first]
    assert run(8, **all_of)[5] != first[5]
    out = [reading.flaw == "missing" for reading in first]
    begins = [place for place in range(1, 3600) if out[place] and not out[place - 1]]
    assert 4 < len(begins) < 22
    assert all(out[place : place + 20] == [True] * len(out[place : place + 20]) for place in begins)
    assert 90 < sum(reading > 55 for reading in first) < 270
    swing = run(0, swing=1, period_s=400)
    assert [swing[place] for place in (0, 100, 300)] == pytest.approx([34, 35, 33])
    ends = [run(seed, drift_per_h=2)[-1] - 34 for seed in range(40)]
    assert 1.3 < (sum(end * end for end in ends) / 40) ** 0.5 < 2.7


DEVICES = """
class/hwmon/hwmon0 name=cpu_thermal temp1_input=48312 temp1_label=SoC
class/hwmon/hwmon10 name=nvme temp1_input=41850
class/hwmon/hwmon2 name=nvme temp1_input=31850 in0_input=3310 fan1_input=1200 temp1_fault=1 temp1_max=80000
class/hwmon/hwmon3 curr1_input=1500 power1_input=1500 energy1_input=1500 humidity1_input=1500 freq1_input=1500 pwm1=9
bus/iio/devices/iio:device0 name=bme280 in_temp_input=21570 in_pressure_input=101.325 in_humidityrelative_input=46530
bus/iio/devices/iio:device1 name=ads1015 in_voltage0_raw=1000 in_voltage0-voltage1_raw=-20 in_voltage_scale=2
bus/iio/devices/iio:device1 in_voltage-voltage_scale=0.5 in_temp_raw=600 in_temp_offset=-400 in_temp_scale=125
bus/iio/devices/iio:device2 in_current0_raw=3 in_illuminance_raw=3 in_resistance_raw=3 in_accel_x_raw=3 in_magn_z_raw=3
bus/iio/devices/iio:device2 in_concentration_co2_raw=3 in_power_raw=3 in_mood_raw=3 in_accel_scale=0.5
bus/w1/devices/28-0316a4b1c2ff w1_slave=57_01_:_crc=74_YES_57_01_t=21437
bus/w1/devices/28-0316a4b1c300 w1_slave=ff_ff_:_crc=c9_NO_ff_ff_t=-62
bus/w1/devices/28-0316a4b1c301 temperature=-10125
bus/w1/devices/10-000802a1b2c3 temperature=85000
bus/w1/devices/w1_bus_master1 w1_master_slaves=28-0316a4b1c2ff
"""


def kernel_tree(root: Path) -> None:
    """A tree as the kernel makes it: folders, and files with their contents."""
    for line in DEVICES.split("\n")[1:-1]:
        device, *contents = line.split()
        (root / "sys" / device).mkdir(parents=True, exist_ok=True)
        for file, content in (pair.split("=", 1) for pair in contents):
            text = content.replace("_", " ") if file == "w1_slave" else content
            (root / "sys" / device / file).write_text(text + "\n")


def test_the_sensors_of_the_kernel_are_found_and_read(tmp_path: Path) -> None:
    kernel_tree(tmp_path)
    expected = {
        "hwmon/cpu_thermal/temp1": (48.312, "°C", None), "hwmon/nvme/fan1": (1200, "rpm", None),
        "hwmon/nvme/in0": (3.31, "V", None), "hwmon/nvme/temp1": (NAN, "°C", "invalid"),
        "hwmon/nvme@2/temp1": (41.85, "°C", None), "iio/bme280/humidityrelative": (46.53, "%", None),
        "iio/bme280/pressure": (1013.25, "hPa", None), "iio/bme280/temp": (21.57, "°C", None),
        "iio/ads1015/temp": (25, "°C", None), "iio/ads1015/voltage0-voltage1": (-0.01, "V", None),
        "iio/ads1015/voltage0": (2, "V", None), "hwmon/hwmon3/curr1": (1.5, "A", None),
        "hwmon/hwmon3/power1": (0.0015, "W", None), "hwmon/hwmon3/energy1": (0.0015, "J", None),
        "hwmon/hwmon3/humidity1": (1.5, "%", None), "hwmon/hwmon3/freq1": (1500, "Hz", None),
        "iio/iio_device2/current0": (0.003, "A", None), "iio/iio_device2/illuminance": (3, "lx", None),
        "iio/iio_device2/resistance": (3, "Ω", None), "iio/iio_device2/accel_x": (1.5, "m/s²", None),
        "iio/iio_device2/magn_z": (3, "G", None), "iio/iio_device2/concentration_co2": (3, "%", None),
        "iio/iio_device2/power": (0.003, "W", None), "w1/10-000802a1b2c3": (NAN, "°C", "invalid"),
        "w1/28-0316a4b1c2ff": (21.437, "°C", None), "w1/28-0316a4b1c300": (NAN, "°C", "invalid"),
        "w1/28-0316a4b1c301": (-10.125, "°C", None),
    }  # fmt: skip
    found = sensors(tmp_path)
    assert {sensor.id for sensor in found} == set(expected)
    assert found[0].label == "SoC"
    for sensor in found:
        reading = kernel_probe(sensor.id, root=tmp_path).poll()
        value, unit, flaw = expected[sensor.id]
        assert (float(reading), reading.unit, reading.flaw) == (pytest.approx(value, nan_ok=True), unit, flaw)
        assert sensor.unit == reading.unit
    assert "wrong check sum" in kernel_probe("w1/28-0316a4b1c300", root=tmp_path).poll().cause
    # It goes, and comes back under another number.
    probe = kernel_probe("hwmon/cpu_thermal/temp1", "soc", root=tmp_path)
    assert probe.poll().good
    folder = tmp_path / "sys/class/hwmon"
    os.rename(folder / "hwmon0", folder / "gone")
    gone = probe.poll()
    assert gone.flaw == "missing"
    assert gone.cause == "there is no sensor hwmon/cpu_thermal/temp1: 'lumek sensors' lists them"
    os.rename(folder / "gone", folder / "hwmon7")
    assert probe.poll() == 48.312
    (folder / "hwmon7/temp1_input").write_text("boo\n")
    assert (probe.poll().flaw, probe.poll().name) == ("invalid", "soc")
    for wrong in ("temp1", "hwmon/temp1", "spi/x/y", "w1/a/b"):
        with pytest.raises(SettingError, match="is not a sensor id, such as hwmon/"):
            kernel_probe(wrong)


def test_what_the_host_knows_of_itself(monkeypatch: pytest.MonkeyPatch) -> None:
    import psutil

    clock = HandClock(1_782_900_000)
    assert HostProbe("clock", clock=clock).poll().text in {
        datetime.fromtimestamp(1_782_900_000).strftime("%Y-%m-%d %H:%M:%S")}  # fmt: skip
    monkeypatch.setattr("os.getloadavg", lambda: (3.0, 2.0, 1.0))
    monkeypatch.setattr("os.cpu_count", lambda: 4)
    assert (HostProbe("load").poll(), HostProbe("load").poll().unit) == (75, "%")
    assert HostProbe("uptime").poll() == pytest.approx(time.time() - psutil.boot_time(), abs=5)
    tuples: Any = psutil
    address = tuples._ntuples.snicaddr if hasattr(psutil, "_ntuples") else tuples._common.snicaddr
    four, six = socket.AF_INET, socket.AF_INET6
    net = {"lo": [(four, "127.0.0.1")], "eth0": [(six, "fe80::1%eth0"), (six, "2001:db8::7")],
           "wlan0": [(four, "169.254.3.4"), (four, "192.0.2.7")], "down0": [(four, "192.0.2.9")]}  # fmt: skip
    there = {name: [address(*pair, None, None, None) for pair in pairs] for name, pairs in net.items()}
    monkeypatch.setattr(psutil, "net_if_addrs", lambda: there)
    state = type("State", (), {"isup": True})
    monkeypatch.setattr(psutil, "net_if_stats", lambda: {name: state for name in net if name != "down0"})
    assert HostProbe("address").poll().text == "192.0.2.7"
    assert HostProbe("address", interface="eth0").poll().text == "2001:db8::7"
    none = HostProbe("address", interface="down0").poll()
    assert (none.flaw, none.cause) == ("missing", "down0 has no address yet; interfaces are lo, eth0, wlan0, down0")
    with pytest.raises(SettingError, match="a host does not know 'mood': it knows address, clock, load, uptime"):
        HostProbe("mood")


@contextmanager
def server(*answers: bytes) -> Iterator[int]:
    """A server that sends the next answer to each connection, and ends it; the last one stays open."""
    with socket.create_server(("127.0.0.1", 0)) as listener:

        def serve() -> None:
            for place, answer in enumerate(answers):
                connection, _ = listener.accept()
                connection.sendall(answer)
                if place < len(answers) - 1:
                    connection.close()
            held.append(connection)

        held: list[socket.socket] = []
        thread = threading.Thread(target=serve, daemon=True)
        thread.start()
        yield listener.getsockname()[1]
        thread.join(5)
        for connection in held:
            connection.close()


def test_lines_over_tcp_survive_garbage_and_a_lost_connection() -> None:
    first = b'weight=41.4, brood=34.6\r\n{"hum": 214, "hive": {"a/b": [1, 2.5]}}\n\xff\xfe\x00\n7.5\nwei'
    second = b"x" * 400_000 + b"\nweight=4l.5; brood=35\n"
    keys = "weight", "brood", "hum", "/hive/a~1b/1", ""
    with server(first, second) as port, TcpText("127.0.0.1", port, retry_s=0.05) as feed:
        probes = {key: feed.probe("n", "u", key=key, lifetime_s=30) for key in keys}
        until(lambda: feed.keys == ["weight", "brood", "hum", "/hive/a~1b/0", "/hive/a~1b/1", ""])
        assert [float(probe.poll()) for probe in probes.values()] == [41.4, 34.6, 214, 2.5, 7.5]
        until(lambda: probes["brood"].poll() == 35)
        wrong = probes["weight"].poll()
        assert (wrong.flaw, wrong.cause, feed.rejected) == ("invalid", "'4l.5' is not a number", 2)
        assert feed.probe("mead").poll().cause.startswith("nothing has come for 'mead' yet, but for 'weight'")
    with socket.create_server(("127.0.0.1", 0)) as nobody:
        free = nobody.getsockname()[1]
    with TcpText("127.0.0.1", free, retry_s=0.05) as feed:
        until(lambda: bool(feed.trouble))
        assert feed.probe("weight").poll().cause == f"no connection to 127.0.0.1 port {free}: Connection refused"


def test_lines_from_an_input_that_ends_become_stale() -> None:
    out, into = os.pipe()
    clock = HandClock()
    with InputText(out, clock=clock) as feed:
        os.write(into, b"weight=41.4\nwei")
        probe = feed.probe("weight", "kg", lifetime_s=3)
        until(lambda: probe.poll().good)
        os.close(into)
        until(lambda: bool(feed.trouble))
        clock.advance(5)
        assert (probe.poll(), probe.poll().cause) == (41.4, "nothing new for 5 s; the input has ended")
    os.close(out)
    with pytest.raises(SettingError, match="is not an open file"):
        InputText("weight=1")


def test_what_came_once_is_smoothed_and_logged_once_however_often_it_is_polled() -> None:
    out, into = os.pipe()
    heard: list[Reading] = []
    with InputText(out) as feed:
        smooth = feed.probe("weight", "kg").through(MovingMean(2))
        with Poller([smooth], 0.01, each=heard.append):
            for value, mean in ((40.0, 40.0), (42.0, 41.0), (44.0, 43.0)):
                os.write(into, f"weight={value}\n".encode())
                until(lambda mean=mean: smooth.poll() == mean)
                time.sleep(0.1)
    assert [float(reading) for reading in heard if reading.good] == [40, 41, 43]
    os.close(out)
    os.close(into)


def test_a_serial_port_that_is_unplugged_and_back_with_half_lines_and_at_a_wrong_speed(tmp_path: Path) -> None:
    port = tmp_path / "ttyHIVE"

    def plug() -> int:
        ours, theirs = pty.openpty()
        port.unlink(missing_ok=True)
        port.symlink_to(os.ttyname(theirs))
        ends.append(theirs)
        return ours

    ends: list[int] = []
    clock = HandClock()
    feed = SerialText(str(port), 9600, retry_s=0.05, clock=clock)
    with feed.probe("weight", "kg", lifetime_s=3) as weight:
        until(lambda: "No such file" in weight.poll().cause)
        ours = plug()
        until(lambda: not feed.trouble)
        os.write(ours, b"ight=99\r\nweight=41.4\r\nweig")
        until(lambda: weight.poll() == 41.4)
        os.write(ours, b"ht=41.5\r\n")
        until(lambda: weight.poll() == 41.5)
        assert feed.rejected == 0
        os.write(ours, bytes(range(128, 250)) + b"\r\n" + b"\x00w\xf0" * 9 + b"\n")  # as at a wrong speed
        until(lambda: feed.rejected == 2)
        clock.advance(4)
        assert (weight.poll(), weight.poll().flaw) == (41.5, "stale")
        assert "is the speed right?" in weight.poll().cause
        os.close(ours)  # unplugged
        os.close(ends.pop())
        port.unlink()
        until(lambda: "No such file" in feed.trouble)
        ours = plug()
        until(lambda: not feed.trouble)
        os.write(ours, b"half\nweight=42\n")
        until(lambda: weight.poll().good)
        assert weight.poll() == 42
    os.close(ours)
    os.close(ends.pop())
    until(lambda: not any(thread.name == "lumek SerialText" for thread in threading.enumerate()))
    with pytest.raises(SettingError, match="a number of baud"):
        SerialText("/dev/null", 0)


def test_a_poller_keeps_the_pace_of_all_but_those_that_hang() -> None:
    hang = threading.Event()
    seen: list[Reading] = []

    def later() -> float:
        if sum(reading.name == "later" for reading in seen) >= 3:
            hang.wait()
        return 2.5

    probes: list[Probe] = [FunctionProbe(f"hung{number}", hang.wait, lifetime_s=9) for number in range(2)]
    probes += [FunctionProbe(f"p{number}", lambda: 1.5) for number in range(40)]
    probes.insert(20, FunctionProbe("later", later))
    closed: list[str] = []
    probes[-1].close = lambda: closed.append("p39")
    with Poller(probes, 0.1, limit_s=0.3, each=seen.append) as poller:
        assert not poller.wait(1.5)
        counts = {probe.name: sum(reading.name == probe.name for reading in seen) for probe in probes}
        assert [counts.pop(name) for name in ("hung0", "hung1", "later")] == [0, 0, 3]
        assert min(counts.values()) >= 3  # about 15 where nothing else runs
        assert poller["p3"].good
        assert (poller["hung1"].flaw, poller["hung1"].cause[:13]) == ("missing", "no answer for")
        assert (poller["later"], poller["later"].flaw, poller["later"].cause[:13]) == (2.5, "stale", "no answer for")
        assert len(poller.readings()) == len(poller) == 43
        hang.set()
        until(lambda: poller["hung1"].good and poller["later"].good)
        with pytest.raises(KeyError, match="there is no probe 'mead': there are hung0, hung1"):
            poller["mead"]
    count = len(seen)
    time.sleep(0.3)
    assert (closed, len(seen)) == (["p39"], count)


@pytest.mark.parametrize("calls", [0, 5])
def test_a_program_ends_though_a_probe_hangs(calls: int) -> None:
    program = f"""
import itertools, threading, time
from lumek.readings import FunctionProbe, Poller
count = itertools.count()
probe = FunctionProbe("weight", lambda: threading.Event().wait() if next(count) >= {calls} else 41.4)
with Poller([probe], 0.01, limit_s=0.5) as poller:
    while poller["weight"].cause[:9] != "no answer":
        time.sleep(0.01)
print(poller["weight"].flaw)
"""
    ran = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, timeout=60, check=True)
    assert (ran.stdout, ran.stderr) == ("stale\n" if calls else "missing\n", "")


def test_a_poller_on_a_clock_that_is_moved_by_hand() -> None:
    clock = HandClock(50)
    calls: dict[str, int] = {"a": 0, "b": 0}

    class Foreign:
        """What somebody wrote without our base class."""

        name, shortest_s, lifetime_s = "c", 0.0, 2.5

        def poll(self) -> Any:
            if clock.elapsed() > 3:
                raise ValueError("broken")
            return "12"

        def close(self) -> None:
            raise OSError("never mind")

    def count(name: str) -> int:
        calls[name] += 1
        return calls[name]

    probes = [FunctionProbe("a", lambda: count("a"), clock=clock),
              FunctionProbe("b", lambda: count("b"), clock=clock, shortest_s=2, lifetime_s=1), Foreign()]  # fmt: skip
    heard: list[Reading] = []
    with Poller(probes, 0.5, clock=clock, threads=False, each=heard.append) as poller:
        assert poller["a"].cause == "not polled yet"
        for _ in range(8):
            poller.poll_due()
            clock.advance(0.5)
        assert calls == {"a": 8, "b": 2}
        assert (poller["a"].age_s, poller["b"].flaw, poller["b"].age_s, poller["b"].time) == (0.5, "stale", 2, 52)
        assert (poller["c"].flaw, poller["c"].cause) == ("missing", "broken")
        clock.advance(60)  # late by many rounds: one poll, no burst
        poller.poll_due()
        assert calls == {"a": 9, "b": 3}
    assert [reading.name for reading in heard].count("b") == 3
    with pytest.raises(SettingError, match="two probes named 'a'"):
        Poller([probes[0], probes[0]], threads=False)
    with pytest.raises(SettingError, match=r"every_s must be 0\.001 to"):
        Poller(every_s=0)
    with pytest.raises(SettingError, match="3 is not a probe: one has poll, close"):
        Poller([3])


def test_what_a_package_is_missing_for_is_told(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    for module, call, message in (
        ("serial", lambda: SerialText("/dev/ttyUSB0"), r"SerialText needs serial: pip install 'lumek\[serial\]'"),
        ("psutil", lambda: HostProbe("load"), r"HostProbe needs psutil: pip install 'lumek\[readings\]'"),
        ("pandas", lambda: load(tmp_path / "x.csv"), r"readings.load needs pandas: pip install 'lumek\[readings\]'"),
    ):
        monkeypatch.setitem(sys.modules, module, None)
        with pytest.raises(PackageError, match=message):
            call()
