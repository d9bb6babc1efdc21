"""Messages on a desk: when they are shown, who is answered, and what the record says."""

import json
import os
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import Panel, PortError, simulate
from lumek.faces import Deck, Face, LightPlan, Show, Stand
from lumek.messages import Answer, Desk, Record
from lumek.messages.models import LEVELS
from lumek.readings import FunctionProbe, HandClock, Poller

STEP_S = 0.25
"""From one drawing to the next: a number that a float holds exactly."""


class Bench:
    """A deck on a simulated panel with a desk, by a clock that is moved by hand."""

    def __init__(
        self, size: str = "16x2", light: LightPlan | None = None, panel: Panel | None = None, **desk: Any
    ) -> None:
        self.clock = HandClock(1_780_000_000.0)
        self.panel = panel or simulate(size, coloured=light is not None)
        self.value = 1.0
        faces = [Face(size, "day"), Face(size, "night", only="level > 5"), Face(size, "alarm", alarm="level > 8")]
        for face in faces:
            face[0] = face.name
        self.poller = Poller([FunctionProbe("level", lambda: self.value)], clock=self.clock, threads=False)
        self.desk = Desk(clock=self.clock, **desk)
        self.stand = Stand("", Deck(faces), [self.panel], light, self.desk.inboxes[""])
        self.show = Show([self.stand], self.poller, clock=self.clock)
        self.answers: list[Answer] = []
        self.glass: list[str] = []
        """What was on the glass when each answer came."""

    def send(self, content: str | bytes = "", **keys: Any) -> list[Answer]:
        """Bring a message; the answers to it, as they come."""
        answers: list[Answer] = []

        def reply(answer: Answer) -> None:
            answers.append(answer)
            self.answers.append(answer)
            self.glass.append("".join(self.panel.twin.rows))

        self.desk.bring(content or json.dumps(keys), reply)
        return answers

    def after(self, seconds: float = STEP_S) -> str:
        """What the first row shows, some seconds later."""
        for _ in range(max(1, round(seconds / STEP_S))):
            self.clock.advance(STEP_S)
            self.poller.poll_due()
            self.show.draw()
        return self.panel.twin.rows[0].rstrip()


def states(answers: list[Answer]) -> list[str]:
    return [one.state for one in answers]


def test_a_text_takes_the_place_of_the_faces_for_its_time_and_is_answered_once_it_is_on_the_glass() -> None:
    bench = Bench()
    assert bench.after() == "day"
    answers = bench.send("Queen seen\nin hive 3")
    assert states(answers) == []
    assert bench.after() == "Queen seen"
    assert bench.panel.twin.rows[1] == "in hive 3       "
    (answer,) = answers
    assert (answer.state, answer.received, answer.shown, answer.until) == (
        "shown", "2026-05-28T20:26:40.250Z", "2026-05-28T20:26:40.500Z", "2026-05-28T20:26:48.500Z",
    )  # fmt: skip
    assert bench.after(7.75) == "Queen seen"
    assert bench.after() == "day"
    assert bench.panel.twin.rows[1].strip() == ""


def test_the_more_urgent_first_then_the_older_and_an_urgent_one_interrupts() -> None:
    bench = Bench()
    for level, text in (("low", "a"), ("normal", "b"), ("low", "c"), ("normal", "d")):
        bench.send(text=text, level=level, seconds=2)
    assert bench.after() == "b"
    urgent = bench.send(text="fire", level="urgent", seconds=3)
    assert bench.after() == "fire"
    assert states(urgent) == ["shown"]
    shown = [bench.after() for _ in range(60)]
    assert list(dict.fromkeys(shown)) == ["fire", "b", "d", "a", "c", "day"]
    assert [shown.count(one) for one in ("b", "d", "a", "c")] == [7, 8, 8, 8]  # b was seen once before
    assert states(bench.answers) == ["shown"] * 5


def test_during_an_alarm_only_urgent_messages_are_shown() -> None:
    bench = Bench()
    normal = bench.send(text="honey", seconds=2)
    bench.value = 9
    assert bench.after(1) == "alarm"
    assert states(normal) == []
    bench.send(text="fire", level="urgent", seconds=1)
    assert bench.after() == "fire"
    assert bench.after(1) == "alarm"
    bench.value = 1
    assert bench.after(1) == "honey"
    bench.value = 9
    assert bench.after(1) == "alarm"
    assert states(normal) == ["shown"]


@pytest.mark.parametrize(
    ("keys", "rows"),
    [
        ({"fit": "wrap"}, [("Queen seen in", "hive three,�")]),
        ({"fit": "pages"}, [("Queen seen in", "hive three,"), ("brood in all", "stages"), ("day", "")]),
        ({"fit": "pages", "align": "right", "row": 1}, [("day", "   Queen seen in"), ("day", "     hive three,")]),
        ({"fit": "glide", "row": -1, "column": 8}, [("day", "        Queen se"), ("day", "        ueen see")]),
        ({"row": 0, "column": 4, "width": 6, "height": 2, "fit": "wrap"}, [("day Queen", "    seen�")]),
    ],
)
def test_long_text_is_cut_turns_pages_or_glides_in_its_place(keys: dict, rows: list[tuple[str, str]]) -> None:
    bench = Bench(seconds=4)
    bench.after()
    bench.send(text="Queen seen in hive three, brood in all stages", **keys)
    seen: list[tuple[str, str]] = []
    for _ in range(45):
        bench.after()
        both = bench.panel.twin.rows[0].rstrip(), bench.panel.twin.rows[1].rstrip()
        if both not in seen:
            seen.append(both)
    assert seen[: len(rows)] == rows
    assert bench.panel.twin.violations == []


def test_what_is_said_of_time_light_glyphs_and_characters() -> None:
    bench = Bench(light=LightPlan(0.5), seconds=4)
    bench.after()
    mine = [1, 2, 4, 8, 16, 0, 0, 31]
    answers = bench.send(text="🐝 ỳ", glyphs={"🐝": mine}, light="#ff0000", seconds=2)
    bench.after()
    assert answers[0].compromises == {"ỳ": "y"} or "ỳ" in bench.panel.glyphs or not answers[0].compromises
    assert bytes(mine) in bench.panel.drawings.values()
    assert bench.panel.backlight == "#ff0000"
    bench.after(2)
    assert (bench.panel.backlight, len(bench.panel.glyphs)) == (0.5, 0)
    chinese = bench.send(text="蜂")
    bench.after()
    assert chinese[0].compromises == {"蜂": "?"}
    bench.send('{"clear": true}')
    bench.after()
    now = bench.clock.time()
    late = bench.send(text="late", until=now + 1)
    blocking = bench.send(text="first", level="urgent", seconds=2)
    bench.after(3)
    assert (states(blocking), states(late)) == (["shown"], ["expired"])
    bench.send(text="until", until=now + 30)
    assert bench.after(20) == "until"
    assert bench.after(8) == "day"
    short = Bench(longest_s=2)
    for keys in ({"seconds": 9e7}, {"until": 4e9}, {"fit": "glide"}):
        short.send(text="honey", **keys)
    assert [short.after(2) for _ in range(4)] == ["honey"] * 3 + ["day"]


def test_commands_choose_faces_hold_them_and_switch_light() -> None:
    bench = Bench(light=LightPlan(True))
    bench.after()
    for keys, first in (
        ({"face": "night"}, "night"), ({"next": True}, "day"), ({"face": "night"}, "night"), ({"hold": True}, "night"),
    ):  # fmt: skip
        answers = bench.send(**keys)
        assert bench.after() == first
        assert states(answers) == ["done"]
    assert bench.after(20) == "night"
    bench.value = 9
    assert bench.after() == "alarm"
    bench.value = 6
    bench.after(1)
    bench.send(hold="toggle")
    assert {bench.after() for _ in range(60)} == {"day", "night"}
    bench.send(face="day")
    bench.after()
    bench.send(back=True)
    assert bench.after() == "night"
    bench.send(hold=2)
    assert {bench.after() for _ in range(60)} == {"day", "night"}
    for light, value in ((False, False), ("toggle", True), (0.25, 0.25), ("usual", True)):
        bench.send(light=light)
        bench.after()
        assert bench.panel.backlight == value
    bench.send(light="#00ff00", seconds=1)
    bench.after()
    assert (bench.panel.backlight, bench.after(1), bench.panel.backlight) == ("#00ff00", bench.after(), True)


@pytest.mark.parametrize(
    ("content", "why"),
    [
        ("", "the message is empty"),
        (b"\xff\xfe", "is not text in UTF-8"),
        ("x" * 16_385, "16385 bytes, of 16384 at most"),
        ("x" * 4_001, "4001 characters, of 4000 at most"),
        ("{", "is not JSON"),
        ("[" * 10_000, "10000 characters"),
        ('{"a":' * 200 + "1" + "}" * 200, "nested too deeply"),
        ('{"seconds": ' + "9" * 5_000 + "}", "is not JSON"),
        ("{}", "it does nothing: it needs at least one of text, "),
        ('{"text": "x", "face": "day"}', "send them as two messages"),
        ('{"text": "x", "level": "loud"}', "'low', 'normal' or 'urgent'"),
        ('{"text": "x", "colour": 1}', "has no key 'colour'"),
        ('{"text": "x", "seconds": NaN}', "seconds = nan is not possible"),
        ('{"text": "x", "seconds": -1}', "seconds = -1 is not possible"),
        ('{"text": "x", "until": "noon"}', "until is a date and time with its offset"),
        ('{"text": "x", "row": 3}', "its place does not exist on a 16x2 panel"),
        ('{"text": "x", "column": 3}', "needs the key 'row'"),
        ('{"text": "x", "light": "purple-ish"}', "purple-ish"),
        ('{"text": "x", "glyphs": {"ab": [1,2,3,4,5,6,7,8]}}', "the drawing of one character"),
        ('{"text": "x", "glyphs": {"a": [99]}}', "glyphs.a.0 = 99 is not possible"),
        ('{"text": "\\ud800"}', "text"),
        ('{"face": "nobody"}', "face 'nobody' cannot be chosen; faces: 'day', 'night'"),
        ('{"face": "alarm"}', "face 'alarm' cannot be chosen"),
        ('{"contrast": 0.5}', "contrast"),
        ('{"next": true}', "next is not allowed here; allowed: text, light, face, contrast"),
        ('{"panel": "gate", "text": "x"}', "panel 'gate' does not exist here"),
        ("\x1b[2J\x07", "contains only control characters"),
    ],
)
def test_what_makes_no_sense_is_refused_in_one_line_that_says_what_is_possible(content: str, why: str) -> None:
    bench = Bench(light=LightPlan(True), allow=["text", "light", "face", "contrast"])
    answers = bench.send(content) if content else bench.send(b"\n")
    shows = bench.after()
    assert (states(answers), shows) == (["refused"], "day")
    assert why in answers[0].why
    assert answers[0].why.isprintable()
    assert len(answers[0].json_text()) < 3_000
    assert bench.after() == "day"


def test_a_refusal_names_the_message_and_the_panels_that_it_was_sent_to() -> None:
    answers: list[Answer] = []
    desk = Desk(["gate", "roof"], allow=["text"])
    for content, id in (('{"id": "x", "next": true}', "x"), ('{"id": 7, "text": "x"}', None), ('{"id": "x"', None),
                        (b'{"id": "x", "txt": 1}', "x"), ('["x"]' * 9_000, None)):  # fmt: skip
        assert desk.bring(content, answers.append, panels=["gate", "roof"]) == 2
        seen = [(one.panel, one.id, one.state) for one in answers]
        assert (seen, answers.clear()) == ([("gate", id, "refused"), ("roof", id, "refused")], None)


def test_control_characters_are_left_out_and_counted() -> None:
    bench = Bench()
    answers = bench.send("\x1b[31mred\x1b[0m\tand\x00 \x1b]0;title\x07\x9b1mplain\r\nsecond")
    assert bench.after() == "red and 1mplain"
    assert (answers[0].left_out, bench.panel.twin.rows[1].rstrip()) == (5, "second")


def test_a_full_inbox_drops_the_oldest_of_the_lowest_level_and_says_so() -> None:
    bench = Bench(queue=3)
    low = [bench.send(text=f"low {number}", level="low") for number in range(2)]
    rest = [bench.send(text=f"normal {number}") for number in range(4)]
    assert [states(one) for one in low + rest] == [["dropped"], ["dropped"], ["dropped"], [], [], []]
    assert bench.after() == "normal 1"
    cleared = bench.send(clear=True)
    later = bench.send("after that")
    assert bench.after() == "after that"
    assert (states(cleared), states(later), [states(one) for one in rest[2:]]) == (
        ["done"], ["shown"], [["cleared"], ["cleared"]],
    )  # fmt: skip
    waiting = bench.send("no more")
    bench.desk.close()
    assert (states(waiting), states(bench.send("too late"))) == (["ended"], ["ended"])


class FailingPanel:
    """A link whose transfers fail while it is told to."""

    def __init__(self) -> None:
        self.panel = simulate("16x2")
        self.fails = False
        send = self.panel._driver.link.send
        self.panel.retries = 0

        def sent(*steps: Any) -> Any:
            if self.fails:
                raise PortError("unplugged")
            return send(*steps)

        self.panel._driver.link.send = sent


def test_a_message_waits_for_a_panel_that_does_not_answer() -> None:
    failing = FailingPanel()
    bench = Bench(panel=failing.panel)
    bench.after()
    failing.fails = True
    answers, short = bench.send("honey", id="h"), bench.send(text="short", until=bench.clock.time() + 5)
    bench.after(10)
    assert (states(answers), states(short)) == ([], ["expired"])
    failing.fails = False
    assert bench.after(2) == "honey"
    assert states(answers) == ["shown"]


def test_an_id_is_shown_once_and_everybody_is_answered(tmp_path: Path) -> None:
    record = tmp_path / "shown.jsonl"
    bench = Bench(record=Record(record), seconds=2)
    first, second = bench.send(text="honey", id="h1"), bench.send(text="honey", id="h1")
    assert bench.after() == "honey"
    third = bench.send(text="honey", id="h1")
    assert [(one[0].state, one[0].again) for one in (first, second, third)] == [
        ("shown", False), ("shown", False), ("shown", True),
    ]  # fmt: skip
    assert bench.after(4) == "day"
    refused = bench.send(text="x", id="h2", row=3)
    bench.after()
    assert (states(refused), states(bench.send(text="x", id="h2"))) == (["refused"], [])
    assert bench.after() == "x"
    bench.desk.close()
    again = Bench(record=Record(record))
    known = again.send(text="honey", id="h1")
    assert (known[0].state, known[0].again, known[0].shown) == ("shown", True, first[0].shown)
    assert again.after() == "day"


def test_a_message_that_was_interrupted_on_its_way_to_the_glass_is_not_shown_again(tmp_path: Path) -> None:
    path = tmp_path / "shown.jsonl"
    record = Record(path)
    record.showing("", "h1", 0.0)
    record.close()
    path.write_bytes(path.read_bytes() + b'{"time": "2026-05-28T20:2')  # power was lost here
    bench = Bench(record=Record(path))
    answers = bench.send(text="honey", id="h1")
    assert (states(answers), bench.after()) == (["unsure"], "day")
    bench.send(text="honey", id="h2")
    bench.after()
    bench.desk.close()
    lines = path.read_bytes().splitlines()
    assert [json.loads(line)["state"] for line in (lines[0], *lines[2:])] == ["showing", "showing", "shown"]


def test_without_a_record_that_can_be_written_nothing_is_shown(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    bench = Bench(record=Record(tmp_path / "shown.jsonl"))

    def full(*_: object) -> int:
        raise OSError(28, "No space left on device")

    write = os.write
    for wrong in (full, lambda file, line: write(file, line[:5])):
        with monkeypatch.context() as patch:
            patch.setattr("lumek.messages.record.os.write", wrong)
            answers = bench.send("honey", id="h")
            assert bench.after() == "day"
        assert (states(answers), "cannot write its record: No space left" in answers[0].why) == (["refused"], True)
    assert (tmp_path / "shown.jsonl").read_bytes() == b""
    bench.send(text="honey", id="h")
    assert bench.after() == "honey"
    bench.desk.close()
    (tmp_path / "folder").mkdir()
    with pytest.raises(ValueError, match=r"the record .* cannot be written"):
        Record(tmp_path / "folder")


Step = tuple[str, Any]


@st.composite
def histories(draw: st.DrawFn) -> list[Step]:
    """What senders, time, panel and power do."""
    message = st.fixed_dictionaries(
        {"text": st.sampled_from(["honey", "two words and more of them", "🐝 ž", ""])},
        optional={
            "id": st.sampled_from(["a", "b", "c"]), "level": st.sampled_from(LEVELS),
            "seconds": st.sampled_from([0.25, 1, 3]), "row": st.sampled_from([0, 1, 3]),
        },
    )  # fmt: skip
    step = st.one_of(
        st.tuples(st.just("send"), message), st.tuples(st.just("wait"), st.sampled_from([0.25, 1.0, 4.0])),
        st.tuples(st.just("fail"), st.booleans()), st.tuples(st.just("alarm"), st.booleans()),
        st.tuples(st.just("clear"), st.none()), st.tuples(st.just("restart"), st.none()),
    )  # fmt: skip
    return draw(st.lists(step, max_size=40))


@given(histories())
def test_whatever_happens_no_answer_precedes_the_glass_and_no_id_is_shown_twice(
    tmp_path_factory: pytest.TempPathFactory, history: list[Step]
) -> None:
    record = tmp_path_factory.mktemp("record") / "shown.jsonl"
    failing = FailingPanel()
    sent: list[tuple[dict, list[Answer]]] = []

    def begun() -> Bench:
        return Bench(panel=failing.panel, record=Record(record), queue=4)

    bench = begun()
    lives: list[Bench] = []
    for what, value in history:
        if what == "send":
            keys = value | ({"text": f"#{value['id']} {value['text']}"} if "id" in value else {})
            sent.append((keys, bench.send(**keys)))
        elif what == "wait":
            bench.after(value)
        elif what == "fail":
            failing.fails = value
        elif what == "alarm":
            bench.value = 9 if value else 1
        elif what == "clear":
            bench.send(clear=True)
        else:
            bench.desk.record.close()  # killed: nothing is answered
            lives.append(bench)
            bench = begun()
    failing.fails = False
    bench.after(40)
    bench.desk.close()
    for life in [*lives, bench]:
        for answer, glass in zip(life.answers, life.glass, strict=True):
            if answer.state == "shown" and answer.id is not None and not answer.again:
                assert f"#{answer.id}" in glass
    lines = [json.loads(line) for line in record.read_text().splitlines()]
    shown = [line["id"] for line in lines if line["state"] == "shown" and "id" in line]
    assert len(shown) == len(set(shown))
    for keys, answers in sent:
        assert len(answers) <= 1
        if answers and answers[0].state == "shown" and "id" in keys:
            assert keys["id"] in shown
        assert not answers or answers[0].state != "shown" or answers[0].shown >= answers[0].received
    assert bench.panel.twin.violations == []


def test_the_oldest_ids_are_forgotten_and_the_record_is_put_aside(tmp_path: Path, monkeypatch: Any) -> None:
    monkeypatch.setattr("lumek.messages.record.MOST_IDS", 3)
    monkeypatch.setattr("lumek.messages.record.ROTATE_BYTES", 400)
    record = Record(tmp_path / "shown.jsonl")
    for number in range(6):
        record.showing("", f"id {number}", 0.0)
        record.shown(Answer(id=f"id {number}", state="shown", received="now"), "text")
    assert [record.known("", f"id {number}") is not None for number in range(6)] == [False] * 3 + [True] * 3
    assert (tmp_path / "shown.jsonl.old").stat().st_size < 800
    with pytest.raises(ValueError, match="is in use by another program"):
        Record(tmp_path / "shown.jsonl")
    record.close()
    again = Record(tmp_path / "shown.jsonl")
    assert again.known("", "id 5").state == "shown"
