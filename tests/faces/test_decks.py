"""Faces, decks and shows on the twin, by a clock that is moved by hand."""

import sys
import threading
from types import FrameType
from typing import Any

import pytest

from lumek import FaceError, Panel, PlaceError, simulate
from lumek.faces import Deck, Face, Show, run
from lumek.fields import Bar, Clock, Label, Number, Tall, Ticker, Trend
from lumek.fields.field import Moment
from lumek.readings import FunctionProbe, Poller, Reading
from lumek.twin import backpack_twin
from support.bench import Bench, face


def test_faces_take_turns_while_their_condition_holds_and_alarms_interrupt() -> None:
    faces = [face("start", start=True, seconds=1), face("one"), face("two", seconds=2),
    face("three", only="weight > 40"),
             face("alarm", alarm="brood > 37"), face("lost", alarm="flawed(brood)")]  # fmt: skip
    bench = Bench(faces, weight=41.0, brood=35.0)
    assert bench.go(0.5, polling=False)[0] == "start"
    assert [bench.go(1)[0] for _ in range(12)] == [
        "one", "one", "one", "one", "two", "two", "three", "three", "three", "three", "one", "one"]  # fmt: skip
    bench.values["weight"] = 30.0
    assert [bench.go(2)[0] for _ in range(5)] == ["one", "two", "one", "one", "two"]
    bench.values["brood"] = 38.0
    assert [bench.go(3)[0] for _ in range(3)] == ["alarm"] * 3
    bench.values["brood"] = 35.0
    assert bench.go(1)[0] == "one"  # what comes after the face that was interrupted
    bench.values["brood"] = None
    assert bench.go(1)[0] == "lost"
    bench.show.leave()
    assert bench.panel.rows[0] == "Bye".ljust(16)


def test_a_start_face_gives_way_even_if_a_probe_never_answers_and_none_may_hold() -> None:
    bench = Bench([face("start", start=True), face("never", only="weight > 99")], start_s=3, weight=1.0)
    assert [bench.go(1, polling=False)[0] for _ in range(5)] == ["start", "start", "start", "", ""]


def test_labels_are_sent_once_and_only_what_changes_is_sent_again() -> None:
    one = Face("20x4")
    one[1, 8:16] = Number("weight", unit=" kg", decimals=1)
    one.label("Hive 3\nWeight             🐝\n\nterrace")
    bench = Bench([one], weight=41.4)
    assert bench.go(0.5) == ["Hive 3", "Weight   41.4 kg   🐝", "", "terrace"]
    sent = bench.panel.twin.port.sent
    bench.go(5)
    assert bench.panel.twin.port.sent == sent
    bench.values["weight"] = 41.5
    bench.go(0.5)
    assert 0 < bench.panel.twin.port.sent - sent <= 20  # an address and a digit


def test_a_trend_goes_on_while_another_face_is_seen() -> None:
    graph, other = Face("16x2", "graph"), face("other")
    graph[0, :2] = Trend("weight", low=0, high=7, every_s=1)
    graph[1] = Ticker("a long text that begins anew", cells_per_s=2)
    bench = Bench([graph, other], weight=7.0)
    bench.go(9)
    assert bench.panel.twin.dots()[0, :2, 0].sum() == 9  # nine seconds, four of them unseen
    assert bench.panel[1].startswith("a long text")


def test_a_panel_that_disappears_is_started_again_when_it_is_back(caplog: pytest.LogCaptureFixture) -> None:
    one = face("Hive 3")
    one[1] = Number("weight")
    bench = Bench([one], weight=41.0)
    bench.go(1)
    bus = bench.panel.twin.port
    bus.cut()
    bench.values["weight"] = 42.0
    bench.go(3)
    assert [record.message for record in caplog.records] == [
        "the panel does not answer; trying again every 1 s: no device acknowledges at address 0x27 on the simulated "
        "bus (there is 0x27)"
    ]
    bus.mend()
    fresh, _ = backpack_twin("16x2", bus=bus)  # it was without power, and knows nothing
    bench.go(2)
    assert [row.strip() for row in fresh.rows] == ["Hive 3", "42"]
    assert not fresh.violations
    assert caplog.records[-1].message == "the panel answers again"


def test_fields_share_slots_and_a_face_that_cannot_fit_names_them() -> None:
    panel, european = simulate("20x4"), simulate("20x4", "A02")
    bars = Face("20x4")
    for row in range(4):
        bars[row, :9] = Bar(f"a{row}")
        bars[row, 10:] = Bar(f"b{row}")
    bars.check(panel)
    assert (bars.needs(panel), bars.needs(european)) == (4, 5)  # the four parts, and a full cell where the ROM lacks it
    four = Face("20x4")
    for row, grow in enumerate(("right", "left", "right", "left")):
        four[row] = Bar("a", grow=grow, low=-1, high=1, zero=0.01)
    assert four.needs(panel) == 8
    mixed = Face("20x4", "mixed")
    mixed[0:3, :10] = Tall("a")
    mixed[3, :10] = Bar("b")
    message = (r"face 'mixed': 9 slots may be needed at once, and the panel has 8: 8 for the tall field in rows 0 to "
               r"2, columns 0 to 9, "
               r"1 for the bar field in row 3, columns 0 to 9; make one of them smaller")  # fmt: skip
    with pytest.raises(FaceError, match=message):
        mixed.check(panel)
    wide = Face("40x4")
    wide[0:2, :4] = Trend("a")
    wide[2:4, :4] = Trend("a")
    wide.check(simulate("40x4"))  # two controllers have eight each
    with pytest.raises(FaceError, match="is laid out for 40x4, and the panel is 20x4"):
        wide.check(panel)


def test_text_from_elsewhere_takes_no_slot_from_a_face() -> None:
    one = Face("16x2")
    one[0, :8] = Trend("weight", every_s=0.5)
    one[1] = Label(of="note")
    bench = Bench([one], weight=1.0, note=0.0)
    bench.values["note"] = "ŵŷẑ ƀƁ"
    bench.poller.close()
    probes = [FunctionProbe("weight", lambda: bench.clock.elapsed() % 3, clock=bench.clock),
              FunctionProbe("note", lambda: "ŵŷẑẁỳ", words=True, clock=bench.clock)]  # fmt: skip
    bench.poller = bench.show.poller = Poller(probes, 0.5, clock=bench.clock, threads=False)
    bench.go(30)
    assert not [place for place in bench.panel.compromises if place[0] == 0]
    assert [place for place in bench.panel.compromises if place[0] == 1]


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda one: one.__setitem__((0, slice(0, 5)), Bar("a")),
        "the bar field in row 0, columns 0 to 4 overlaps the label field in row 0"),
        (lambda one: one.__setitem__((1, slice(0, 5)), Tall("a")),
        "the tall field in row 1, columns 0 to 4: tall digits are 2, 3 or 4"),
        (lambda one: one.__setitem__(1, 3), "a face takes fields, such as Bar('weight'), and text, not 3"),
        (lambda one: one.__setitem__((1, slice(3, 3)), Bar("a")), "a bar needs one cell at least"),
        (lambda one: one.label("one\ntwo\nthree"), "the text has 3 rows, and the panel has 2"),
        (lambda one: one.label("x"), "'x' of the text, in row 0, column 0, is under the label field in row 0"),
        (lambda one: one.label("\nmore than sixteen"), "row 1 of the text has 17 cells, not 16"),
        (lambda one: Deck([one, face("one")]), "one face of each name, not several 'one'"),
        (lambda one: Deck([]), "needs one face at least"), (lambda one: Deck([one, face("a", "20x4")]),
        "of one size, not 16x2, 20x4"),
        (lambda one: Deck([face("x", alarm="a > 1")]), "a face besides those for alarms"),
        (lambda one: face("x", alarm="a > 1", start=True), "one of only, alarm and start"),
        (lambda one: face("x", seconds=0), "is shown for 0.001 to 100000000 seconds, not 0"),
        (lambda one: Bench([face("x", only="honey > 3")], weight=1), "face 'x': only: there is no probe 'honey'"),
        (lambda one: run(simulate("16x2"), one, [], 0.1, zone="Moon"), "there is no time zone 'Moon'"),
        (lambda one: run(simulate("16x2"), face("x", only="honey > 3")), "there are no probes: give them as the third"),
        (lambda one: run("16x2", one), "run takes a panel first, such as lumek.simulate('16x2'), not '16x2'"),
        (lambda one: run(simulate("16x2"), "Hive 3"), "run takes a Face, or a Deck of faces, after the panel, not"),
    ],
)  # fmt: skip
def test_what_cannot_be_laid_out_is_told(make: object, message: str) -> None:
    with pytest.raises(FaceError) as error:
        make(face("one"))
    assert message in str(error.value)


def test_a_place_that_the_panel_lacks_is_told() -> None:
    with pytest.raises(PlaceError, match="row 2 does not exist on a 16x2 panel"):
        Face("16x2")[2] = Bar("a")
    field = Clock()
    one = Face("16x2")
    one[0] = field
    with pytest.raises(FaceError, match="cannot be in a second place"):
        one[1] = field


def test_ten_lines_of_python_run_by_the_hosts_clock() -> None:
    panel: Panel = simulate("16x2")
    one = Face("16x2")
    one[0, :8] = Number("weight", unit=" kg")
    one[0, 8:] = Clock("%H:%M:%S", align="right")
    one[1] = Bar("weight", low=30, high=50)
    run(panel, Deck([one], farewell=""), [FunctionProbe("weight", lambda: 41.4)], 0.5, refresh_hz=20)
    assert panel.rows == [" " * 16] * 2
    run(panel, one, [FunctionProbe("weight", lambda: 41.4)], 0.5, refresh_hz=20)
    assert panel[0, :8] == " 41.4 kg"
    assert not panel.twin.violations


def test_labels_that_need_more_than_eight_slots_give_way_with_a_notice(caplog: pytest.LogCaptureFixture) -> None:
    one = Face("20x4", "hive")
    one[0] = "Žluťoučký kůň ąęłż"
    one[1, 0:6] = Trend("weight")
    panel = simulate("20x4")
    one.check(panel)
    assert "face 'hive': " in caplog.text
    assert "labels show the nearest plain letters" in caplog.text
    for weight in range(30):
        one.take({"weight": Reading(weight * 7 % 11, "weight", time=float(weight))}, Moment(weight), lambda unix: ())
        one.draw([panel], whole=weight == 0)
    assert {row for row, _ in panel.compromises} == {0}  # the graph has its slots
    assert {shown for _, shown in panel.compromises.values()} < {*"Zlutouckykunaelz"}


def test_any_message_is_borne_whatever_it_is_made_of() -> None:
    one = Face("20x4", "hive")
    one[0] = Label(of="message")
    one[1] = Ticker(of="message")
    panel = simulate("20x4")
    kanji = "".join(map(chr, range(0x3000, 0x4000)))
    for text in ("\u200b" * 9, "e" + "\u0301" * 1000, "👩\u200d" * 900, "\u202eabc", "\ufe0f", kanji):
        one.take({"message": Reading(None, "message", text=text)}, Moment(), lambda unix: ())
        one.draw([panel])
    assert panel.twin.violations == []


def test_stop_may_come_at_any_moment_of_a_wait_and_never_waits_itself() -> None:
    """As from a signal handler, between any two lines of what the same thread is doing."""
    for place in range(1, 400):
        bench = Bench([face("a")], weight=1.0)
        lines = 0

        def traced(frame: FrameType, event: str, argument: object, place: int = place, bench: Bench = bench) -> Any:
            nonlocal lines
            lines += event == "line"
            if event == "line" and lines == place:
                sys.settrace(None)
                bench.show.stop()
            return traced

        files = {Show.run.__code__.co_filename, threading.__file__}

        def waits(bench: Bench = bench, traced: Any = traced, files: set[str] = files) -> None:
            sys.settrace(lambda frame, *_: traced if frame.f_code.co_filename in files else None)
            bench.show.run(0.05)

        thread = threading.Thread(target=waits, daemon=True)
        thread.start()
        thread.join(5)
        assert not thread.is_alive(), f"stopped at line {place}, it waits for ever"
        if lines < place:
            break
    assert 10 < place < 399
