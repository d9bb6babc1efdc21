"""Chips on the simulated adapter, as far as the kernel's own drivers ask. Each is a device of the bus.

Sources: data sheets of the LM75A (7.4 "Registers"), TMP102 (table 8), ADS1015 (table 7), BMP280 (4.2 "Memory map"; the
worked example of 8.1), SHT3x-DIS (4.4, 4.12), DS18B20 ("Memory", "CRC generation") and DS2482-100 ("Function
commands").
"""

from collections.abc import Callable


class Memory:
    """256 bytes behind a pointer, like a 24C02. `written` counts what a scan must not do."""

    def __init__(self) -> None:
        self.written = 0
        self._data = bytearray(range(256))
        self._pointer = 0
        self._first = True

    def start(self) -> None:
        """A transfer begins: its first byte is the pointer."""
        self._first = True

    def write(self, byte: int, now_ns: int) -> None:
        """Take the pointer, or a byte."""
        if self._first:
            self._pointer, self._first = byte, False
        else:
            self._data[self._pointer] = byte
            self._pointer = self._pointer + 1 & 0xFF
            self.written += 1

    def read(self, now_ns: int) -> int:
        """Give the next byte."""
        self._pointer = self._pointer + 1 & 0xFF
        return self._data[self._pointer - 1]


class Registers:
    """Registers behind a pointer. A register of one byte is followed by the next; one of two bytes by itself."""

    def __init__(self, registers: dict[int, bytes]) -> None:
        self._registers = {pointer: bytearray(data) for pointer, data in registers.items()}
        self._pointer = self._taken = 0

    def start(self) -> None:
        """A transfer begins."""
        self._taken = 0

    def write(self, byte: int, now_ns: int) -> None:
        """Take the pointer, or a byte of a register."""
        if self._taken == 0:
            self._pointer = byte
        elif self._pointer in self._registers:
            register = self._registers[self._pointer]
            register[(self._taken - 1) % len(register)] = byte
        self._taken += 1

    def read(self, now_ns: int) -> int:
        """Give a byte of the register."""
        register = self._registers.get(self._pointer, b"\0")
        self._taken += 1
        byte = register[(self._taken - 1) % len(register)]
        if len(register) == 1:
            self._pointer += 1
        return byte


def lm75(celsius: float) -> Registers:
    """An LM75, or with twelve bits a TMP102."""
    raw = round(celsius * 256) & 0xFFF0
    return Registers({0: raw.to_bytes(2, "big"), 1: b"\x60\xa0", 2: b"\x4b\x00", 3: b"\x50\x00"})


def ads1015(millivolts: int) -> Registers:
    """An ADS1015 with this at every input, at the full scale of 2.048 V: 1 mV a step."""
    return Registers({0: ((millivolts & 0xFFF) << 4).to_bytes(2, "big"), 1: b"\x85\x83", 2: b"\x80\0", 3: b"\x7f\xff"})


def bmp280() -> Registers:
    """The worked example of its data sheet: 25.08 degrees, 100653 Pa."""
    trim = [27504, 26435, -1000, 36477, -10685, 3024, 2855, 140, -7, 15500, -14600, 6000]
    data = {0x88: b"".join((value & 0xFFFF).to_bytes(2, "little") for value in trim), 0xD0: b"\x58"}
    data |= {0xF3: bytes(3), 0xF7: b"\x65\x5a\xc0\x7e\xed\x00"}
    return Registers({first + at: bytes([byte]) for first, block in data.items() for at, byte in enumerate(block)})


def crc8(data: bytes) -> int:
    """The check sum of Sensirion's words: polynomial 0x31, from 0xFF."""
    crc = 0xFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = (crc << 1 ^ 0x31 if crc & 0x80 else crc << 1) & 0xFF
    return crc


class Sht3x:
    """Humidity and temperature, by commands of two bytes; each word of the answer has its check sum."""

    def __init__(self, celsius: float, percent: float) -> None:
        self._sheet = self._checked(round((celsius + 45) / 175 * 65535), round(percent / 100 * 65535))
        self._command = b""
        self._fresh = True
        self._given = 0

    def start(self) -> None:
        """A transfer begins."""
        self._fresh, self._given = True, 0

    def write(self, byte: int, now_ns: int) -> None:
        """Take a byte of a command."""
        self._command = (b"" if self._fresh else self._command) + bytes([byte])
        self._fresh = False

    def read(self, now_ns: int) -> int:
        """Give the status, the serial number, or what was measured."""
        answers = {b"\xf3": self._checked(0), b"\x36": self._checked(0x1234, 0x5678)}
        answer = answers.get(self._command[:1], self._sheet)
        self._given += 1
        return answer[(self._given - 1) % len(answer)]

    @staticmethod
    def _checked(*words: int) -> bytes:
        pairs = [word.to_bytes(2, "big") for word in words]
        return b"".join(pair + bytes([crc8(pair)]) for pair in pairs)


def crc_1wire(data: bytes) -> int:
    """The check sum of 1-Wire: x^8 + x^5 + x^4 + 1, lowest bit first."""
    crc = 0
    for byte in data:
        for _ in range(8):
            crc, byte = (crc >> 1 ^ 0x8C if (crc ^ byte) & 1 else crc >> 1), byte >> 1
    return crc


class Ds18b20:
    """A thermometer on 1-Wire: searched for, chosen, told to convert, read."""

    def __init__(self, serial: int, celsius: float) -> None:
        body = b"\x28" + serial.to_bytes(6, "little")
        self.rom = body + bytes([crc_1wire(body)])
        sheet = (round(celsius * 16) & 0xFFFF).to_bytes(2, "little") + b"\x4b\x46\x7f\xff\x0c\x10"
        self._sheet = sheet + bytes([crc_1wire(sheet)])
        self.reset()

    def reset(self) -> None:
        """The bus was reset: a command follows."""
        self.taken = bytearray()
        self.given = self.place = 0
        self.in_search = True

    def give(self) -> int:
        """A byte of the scratchpad; else 1s, which also say "converted" and "supplied"."""
        if self.taken[-1:] != b"\xbe":
            return 0xFF
        self.given += 1
        return self._sheet[(self.given - 1) % 9]

    def bit(self) -> int:
        """The bit of the ROM that a search is at."""
        return self.rom[self.place >> 3] >> (self.place & 7) & 1


class Ds2482:
    """A bridge from I2C to 1-Wire, with thermometers behind it."""

    STATUS, DATA, CONFIG = 0xF0, 0xE1, 0xC3

    def __init__(self, thermometers: list[Ds18b20]) -> None:
        self._thermometers = thermometers
        self._registers = {self.STATUS: 0x18, self.DATA: 0, self.CONFIG: 0}
        self._pointer = self.STATUS
        self._taken = bytearray()
        self._commands: dict[int, Callable[[int], None]] = {
            0xD2: self._configure, 0xA5: self._write_byte, 0x78: self._triplet, 0x87: self._single_bit,
        }  # fmt: skip

    def start(self) -> None:
        """A transfer begins."""
        self._taken = bytearray()

    def write(self, byte: int, now_ns: int) -> None:
        """Take a command, or the byte after it."""
        self._taken.append(byte)
        if len(self._taken) == 2:
            if self._taken[0] == 0xE1:
                self._pointer = byte
            elif self._taken[0] in self._commands:
                self._pointer = self.STATUS
                self._commands[self._taken[0]](byte)
            return
        if byte in (0xF0, 0xB4, 0x96):
            self._pointer = self.STATUS
        if byte == 0xF0:  # device reset
            self._registers[self.STATUS] = 0x18
        elif byte == 0xB4:  # 1-Wire reset; somebody is there
            for one in self._thermometers:
                one.reset()
            self._registers[self.STATUS] = 0x0A
        elif byte == 0x96:  # read a byte
            self._registers[self.DATA] = 0xFF
            for one in self._thermometers:
                if one.taken[:1] != b"\x55" or one.taken[1:9] == one.rom:
                    self._registers[self.DATA] &= one.give()

    def read(self, now_ns: int) -> int:
        """Give the register that the pointer names."""
        return self._registers[self._pointer]

    def _configure(self, byte: int) -> None:
        self._registers[self.CONFIG] = byte & 0xF
        self._registers[self.STATUS] &= ~0x10
        self._pointer = self.CONFIG

    def _write_byte(self, byte: int) -> None:
        for one in self._thermometers:
            one.taken.append(byte)

    def _triplet(self, byte: int) -> None:
        """A step of a search: two bits are read, and one written, the way to go."""
        there = [one for one in self._thermometers if one.in_search and one.taken == b"\xf0"]
        bits = {one.bit() for one in there}
        first, second = int(0 not in bits), int(1 not in bits)
        way = byte >> 7 if not first and not second else first
        for one in there:
            one.in_search = one.bit() == way
            one.place = min(one.place + 1, 63)
        self._registers[self.STATUS] = 0x08 | first << 5 | second << 6 | way << 7

    def _single_bit(self, byte: int) -> None:
        self._registers[self.STATUS] = 0x28
