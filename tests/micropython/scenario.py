"""The same work for MicroPython and CPython: what goes over bus, lines and SPI is printed, a line for each call."""

import lumek
import lumek.fields
import lumek.motions
from lumek import Glyph, Text, number, numbers
from lumek.core.block import Block
from lumek.ports.bit_banged import SerialLines
from lumek.ports.board import BoardBus, BoardLines, BoardPwm, BoardSpi


class RecordingBus(BoardBus):
    now_us = None  # what is sent must not depend on how quick an interpreter is

    def wait_us(self, us):
        print("wait", us)


class Recorder:
    """An I2C object of a board that records, and that one can break."""

    broken = False

    def writeto(self, address, data):
        if self.broken:
            raise OSError(19)
        print("write", address, " ".join(["%02x" % byte for byte in data]))

    def readfrom_into(self, address, data):
        print("read", address, len(data))
        data[:] = b"\xff" * len(data)


class Pin:
    """A pin of a board that records. Read, it is low at every third time, as a busy flag that clears would be."""

    OUT, IN = 1, 0
    reads = 0

    def __init__(self, name):
        self.name = name

    def init(self, mode, value=0):
        print("pin", self.name, "out" if mode else "in", value)

    def value(self, level=None):
        if level is None:
            Pin.reads += 1
            return int(Pin.reads % 3 > 0)
        return print("pin", self.name, level)


class RecordingLines(BoardLines):
    now_us = None

    def drive(self, levels):
        for line in sorted(levels):
            super().drive({line: levels[line]})

    def wait_us(self, us):
        print("wait", us)


class RecordingSpi(BoardSpi):
    now_us = None

    def wait_us(self, us):
        print("wait", us)


class Spi:
    def write(self, data):
        print("write", data[0])


class Pwm:
    def duty_u16(self, duty):
        print("duty", duty)


def draw(panel):
    """Drawings that come and go, more of them than there are slots."""
    panel[:] = "жñłώ½ąř€ğ✓\ne\u0301 x\u0304 q\u0323\u0307 ❤\ufe0f 🐝"
    panel.glyphs.prefer("✓", 2)
    panel[0, 0:3] = ""
    bee = Glyph("""
        .....
        .#.#.
        #####
        .###.
        #####
        .###.
        ..#..
        .....""")
    for glyph in (bee, ~bee, bee.shifted(1, -1, around=True), bee.mirrored() & bee.upended() | bee - bee.inverted()):
        panel.glyphs["🐝"] = glyph
    panel[-1] = ["a", bee, Glyph([0] * 8), Glyph([31] * 8), "🐝"]
    panel.leftward = True
    panel[0, :6] = "ключ"
    panel[0, 6:] = Text("Waben und Bienen im Garten", align="centre", wrap=True, leftward=False)
    panel.leftward = False
    del panel.glyphs["🐝"]
    for place, (written, shown) in sorted(panel.compromises.items()):
        print(place, written, shown)
    print("|".join(panel.rows), repr(bee), len(panel.glyphs))


def count(panel):
    """Numbers of all kinds, in all forms."""
    values = [0, -0.0, 41.4159, -1234567.5, 1e-7, 99.995, 2.5, 12345678901234567890, 0.1 + 0.2, 1 / 3, 1e22, None]
    values += [float("nan"), float("inf"), float("-inf")]
    for value in values:
        line = [number(value, 7), number(value, 9, 2, unit=" kg"), number(value, 9, 1, notation="prefix", unit="W")]
        line += [number(value, 9, 3, notation="scientific"), number(value, 12, 1, group=".", point=",", plus=True)]
        print("|".join(line))
    print("|".join(numbers(values, 12, 2)), number(-3054, 10, base=16, digits=6), number(182, 9, base=2, group="_"))
    panel[0, 0:6] = 41.37
    panel[0, -4:] = None


def work(panel):
    draw(panel)
    count(panel)
    panel[:] = "Good morning,\nbees! 34.8°C\n41.42 kg ½ Žluťoučký\nПривет アリ"
    panel[0, 0:8] = "Hive 3"
    panel[-1, -1] = "é"
    panel[0, 3:7] = ""
    with panel.together():
        panel.cursor, panel.cursor_shape = (0, 4), "both"
        panel.slide(-3)
        panel[0] = "shifted"
    print(panel, "|".join(panel.rows), panel[0, 1:5], panel.cursor)
    for place, (written, shown) in sorted(panel.compromises.items()):
        print(place, written, shown)
    for attempt in (
        lambda: setattr(panel, "backlight", False),
        lambda: print("|".join(panel.read_back()), panel.memory()[2]),
    ):
        try:
            attempt()
        except lumek.LumekError as error:
            print(type(error).__name__, error)
    panel.visible = False
    panel.visible = True
    keep_right(panel)


def keep_right(panel):
    """Refreshing at once and in parts, and verifying, where what is read is never right."""
    panel.refresh()
    panel.tend(0.0)
    panel.refresh_every_s = 1.0
    for tick in range(20):
        panel.tend(tick / 10)
    try:
        print(panel.verify())
    except lumek.LumekError as error:
        print(type(error).__name__, error)
    panel.refresh_every_s = 100000
    panel.tend()  # by the host's own clock: one part
    panel.refresh_every_s = None
    print(panel.health)


for size, rom, hz, expander, lines in (
    ("20x4", "A00", 100000, None, None),
    ("16x2", "A02", 400000, None, {"rs": 6, "rw": 5, "e": 4, "backlight": 7, "d4": 0, "d5": 1, "d6": 2, "d7": 3}),
    ("8+8x1", "A00", 1000000, None, {"rs": 0, "backlight": 3, "e": 1, "d4": 7, "d5": 5, "d6": 4, "d7": 2}),
    ("40x4", "A00", 400000, None, {"rs": 0, "e2": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}),
    ("20x2", "A00", 1700000, "mcp23008", None),
    ("8x2", "A00", 400000, "mcp23008", {"rs": 0, "rw": 1, "e": 2, "d4": 4, "d5": 5, "d6": 6, "d7": 7}),
):
    recorder = Recorder()
    bus = RecordingBus(recorder, hz)
    panel = lumek.Panel(size, lumek.Backpack(bus, 0x27, expander, lines), rom)
    work(panel)
    recorder.broken = True
    for key, value in ((0, "x"), (7, "x"), (0, 7)):
        try:
            panel[key] = value
        except lumek.LumekError as error:
            print(type(error).__name__, str(error).split("(")[0])
    recorder.broken = False
    panel[0, 1] = "y"
    panel.clear()

outputs = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6}
turned = {"rs": 7, "e": 6, "d4": 5, "d5": 4, "d6": 3, "d7": 2, "backlight": 0}
lines = RecordingLines({name: Pin(name) for name in range(20)})
for size, link in (
    ("16x2", lumek.Direct(lines, rs=0, e=1, data=(2, 3, 4, 5), backlight=6, backlight_on=0)),
    ("8x1", lumek.Direct(lines, rs=0, e=7, data=(2, 3, 4, 5))),
    ("40x4", lumek.Direct(lines, rs=0, rw=8, e=1, e2=9, data=(2, 3, 4, 5))),
    ("20x4", lumek.Direct(lines, rs=0, rw=8, e=1, data=(2, 3, 4, 5, 10, 11, 12, 13))),
    ("16x2", lumek.ShiftRegister(RecordingSpi(Spi(), Pin("latch")), outputs)),
    ("8x1", lumek.ShiftRegister(SerialLines(lines, 17, 18, 19), turned)),
):  # fmt: skip
    panel = lumek.Panel(size, link)
    work(panel)

channels = [BoardPwm(Pwm()) for _ in range(4)]
panel = lumek.Panel("16x2", link, backlight=channels[:3], contrast=channels[3])
panel.contrast = 0.4
for value in ("#20c0a0", "honey", 0.5, "no such", 2):
    try:
        panel.backlight = value
    except lumek.LumekError as error:
        print(error)
panel = lumek.Panel("16x2", link, backlight=lumek.LineLight(lines, 14))
panel.backlight = False


fields = lumek.fields


class Flawed:
    """What a program's own sensor may give when it fails."""

    def __init__(self, flaw, text=None, time=0.0, age_s=0.0):
        self.flaw, self.text, self.time, self.age_s = flaw, text, time, age_s


VALUES = (
    41.25, 0, -7.5, 99.5, 140, True, None, "open", 50.5, Flawed("missing", time=5), Flawed("stale", time=5, age_s=9.0),
    Flawed("invalid", "two bees", 20), float("nan"), 12,
)  # fmt: skip
WORDS = {"over": "too much", "stale": "..."}
FIELDS = (
    (1, 10, fields.Number(unit=" kg", decimals=2, low=-20, high=120)),
    (1, 6, fields.Number(words={"over": "", "under": ""}, high=90, align="centre")),
    (1, 9, fields.Bar(low=-10, peak_s=5)), (2, 9, fields.Bar(grow="left", words=WORDS)),
    (2, 3, fields.Bar(low=-50, high=50, grow="up", zero=1)), (2, 4, fields.Bar(grow="down")),
    (2, 17, fields.Tall(unit=" kg", align="left")), (3, 16, fields.Tall(decimals=1, low=0)), (4, 19, fields.Tall()),
    (2, 20, fields.Tall(time="%H:%M:%S", align="centre")),
    (1, 14, fields.Trend(limits=3)), (2, 4, fields.Trend(low=0, high=100, every_s=2, filled=True)),
    (1, 12, fields.Ticker("Honey flow in the lime trees")), (1, 8, fields.Ticker(of="note", cells_per_s=2)),
    (1, 12, fields.Ticker("Honey flow in the lime trees", around=False, pause_s=1)), (2, 7, fields.March("é", "è")),
    (1, 4, fields.March(Glyph([16] * 8)).blinking(1.5)),
    (1, 20, fields.Clock("%a %d %b %H:%M:%S%%")), (1, 16, fields.Clock("%j %G-%V %u%w %I%p %e", of="a")),
    (1, 9, fields.Countdown("18:00", done="now")), (1, 9, fields.Countdown(1000090)), (1, 9, fields.Countdown(of="a")),
    (1, 2, fields.Lamp(on=40, off=10)), (1, 3, fields.Lamp(on=5, off=8, lit="low", dark=Glyph([4] * 8))),
    (1, 8, fields.Choice(texts={"open": "come in", 1: "one"}, otherwise="--")),
    (1, 8, fields.Choice(ranges=[(10, "low"), (50, "good"), (None, "high")], gap=5)),
    (1, 20, fields.Label("Hive 3", align="right")), (2, 9, fields.Label(of="note", wrap=True)),
)  # fmt: skip
recorder = Recorder()
panel = lumek.Panel("20x4", lumek.Backpack(RecordingBus(recorder, 400000), 0x27))
for rows, columns, field in FIELDS:
    field.check(rows, columns)
    panel[:] = ""
    for step in range(len(VALUES)):
        value = VALUES[step]
        if field.of and step == 3:
            value = (2026, 12, 31, 23, 59, 8, 3, 365)
        now = fields.Moment(step * 1.25, 1000000 + 10 * step, (2026, 7, 1, 17, 59, 52 + step % 8, 2, 182))
        panel[0:rows, 0:columns] = field(value, now)
        print(field.kind, step, "|".join(panel.rows[:rows]))
    groups = field.groups(rows, columns)
    print(max([sum([most for contents, most in alternative]) for alternative in groups]))
for attempt in (
    lambda: fields.Bar(low=5, high=5), lambda: fields.Clock("%Q"), lambda: fields.Tall().check(1, 3),
    lambda: fields.Choice(), lambda: fields.Countdown("25:00"), lambda: fields.Number(words={"ill": ""}),
):  # fmt: skip
    try:
        attempt()
    except lumek.LumekError as error:
        print(error)

motions = lumek.motions
panel[:] = "a panel\nwith something\nin it"
for motion in (
    motions.Typing(Text("Good morning, bees", wrap=True)), motions.Gliding("Queen seen in hive 3", 2, 1),
    motions.Marching("🐝", Glyph([31, 1, 2, 4, 8, 16, 0, 0])), motions.Blinking("é", 2), motions.Cycling(["a", "жб"]),
    motions.Rolling(9.5, 10.25, 3), motions.Rolling("7 kg", "4 kg", 4), motions.Sliding("out", "left", True),
):  # fmt: skip
    for step, frame in enumerate(motion.frames(2, 6)):
        panel[1:3, 2:8] = frame
        print(motion.period(2, 6), "|".join(panel.rows))
        if step > 14:
            break
panel.play(motions.Typing("bees and\nmore"), 1, 2, 10, 2, every_s=0.001, leaves="blank").wait()
panel.play(motions.Sliding("all"), every_s=0.001).wait()
narrow = lumek.Panel("8x1", lumek.Backpack(RecordingBus(recorder, 400000), 0x27))
narrow.play(motions.Sliding("all"), every_s=0.001).wait()
print("|".join(panel.rows), narrow.rows)
block = Block("#.#.#.....\n" * 8)
panel[1:3, 2:8] = block
print(block.shape, repr(block), "|".join(panel.rows))

panel.send(0x01, 0x0F)
panel.send_data(b"Hive 3")
panel.send(0x48, 0x07)
panel.send_data([0, 10, 31])
panel[3] = "after what was sent"
for attempt in (lambda: panel.send(256), lambda: panel.send_data("Hive"), lambda: panel.read_data()):
    try:
        attempt()
    except lumek.LumekError as error:
        print(error)
low = lumek.Panel("16x1", lumek.Backpack(RecordingBus(recorder, 400000), 0x27), font="5x10")
low.glyphs["g"] = Glyph([0, 14, 17, 17, 15, 1, 1, 1, 17, 14])
low[0] = ["Hi", "g", Glyph([31] * 8), "é"]
low.refresh()
print("|".join(low.rows), low.slots)
