"""The same work for MicroPython and CPython: what goes over the bus is printed, a line for each call."""

import lumek
from lumek.ports.board import BoardBus


class RecordingBus(BoardBus):
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


for size, rom, hz, lines in (
    ("20x4", "A00", 100000, None),
    ("16x2", "A02", 400000, {"rs": 6, "rw": 5, "e": 4, "backlight": 7, "d4": 0, "d5": 1, "d6": 2, "d7": 3}),
    ("8+8x1", "A00", 1000000, {"rs": 0, "backlight": 3, "e": 1, "d4": 7, "d5": 5, "d6": 4, "d7": 2}),
):
    recorder = Recorder()
    bus = RecordingBus(recorder, hz)
    panel = lumek.Panel(size, lumek.Backpack(bus, 0x3F, lines=lines), rom)
    panel[:] = "Good morning,\nbees! 34.8°C\n41.42 kg ½ Žluťoučký\nПривет アリ"
    panel[0, 0:8] = "Hive 3"
    panel[-1, -1] = "é"
    panel[0, 3:7] = ""
    with panel.together():
        panel.cursor, panel.cursor_shape = (0, 4), "both"
        panel.slide(-3)
        panel[0] = "shifted"
    print("|".join(panel.rows), panel[0, 1:5], panel.cursor)
    for place, (written, shown) in sorted(panel.compromises.items()):
        print(place, written, shown)
    panel.backlight = panel.visible = False
    panel.visible = recorder.broken = True
    for key, value in ((0, "x"), (7, "x"), (0, 7)):
        try:
            panel[key] = value
        except lumek.LumekError as error:
            print(type(error).__name__, str(error).split("(")[0])
    recorder.broken = False
    panel[0, 1] = "y"
    panel.clear()
