"""The same work for MicroPython and CPython: what goes over the bus is printed, a line for each call."""

import lumek


class RecordingBus:
    def __init__(self, hz):
        self.hz = hz
        self.broken = False

    def write(self, address, data):
        if self.broken:
            raise lumek.BusError("the wire came off")
        print("write", address, " ".join(["%02x" % byte for byte in data]))

    def read(self, address, count):
        print("read", address, count)
        return b"\xff" * count

    def wait_us(self, us):
        print("wait", us)


for size, rom, hz, lines in (
    ("20x4", "A00", 100000, None),
    ("16x2", "A02", 400000, {"rs": 6, "rw": 5, "e": 4, "backlight": 7, "d4": 0, "d5": 1, "d6": 2, "d7": 3}),
    ("8+8x1", "A00", 1000000, {"rs": 0, "e": 1, "d4": 7, "d5": 5, "d6": 4, "d7": 2}),
):
    bus = RecordingBus(hz)
    panel = lumek.Panel(size, lumek.Backpack(bus, 0x3F, lines=lines), rom)
    panel[:] = "Good morning,\nbees! 34.8°C\n41.42 kg ½ Žluťoučký\nПривет アリ"
    panel[0, 0:8] = "Hive 3"
    panel[-1, -1] = "é"
    panel[0, 3:7] = ""
    with panel.together():
        panel.cursor = (0, 4)
        panel.cursor_shape = "both"
        panel.slide(-3)
        panel[0] = "shifted"
    print("|".join(panel.rows), panel[0, 1:5], panel.cursor)
    for place, (written, shown) in sorted(panel.compromises.items()):
        print(place, written, shown)
    if lines is None or "backlight" in lines:
        panel.backlight = False
    panel.visible = False
    panel.visible = True
    bus.broken = True
    try:
        panel[0, 0] = "x"
    except lumek.BusError as error:
        print("BusError", error)
    bus.broken = False
    panel[0, 1] = "y"
    panel.clear()
    for mistake in (
        lambda: panel.__setitem__(7, "x"),
        lambda: panel.__setitem__(0, 7),
        lambda: setattr(panel, "cursor_shape", "hand"),
        lambda: lumek.Backpack(bus, 0x50),
        lambda: lumek.Panel("3x3", None),
    ):
        try:
            mistake()
        except lumek.LumekError as error:
            print(type(error).__name__, error)
    panel.close()
    try:
        panel.clear()
    except lumek.LumekError as error:
        print(type(error).__name__, error)
