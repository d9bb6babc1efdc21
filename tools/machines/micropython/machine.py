# What `machine` is on a board, for a native MicroPython: pins and a bus whose other end is micro_board.py.
import os
import socket
import time

_line = socket.socket()
_line.setsockopt(6, 1, 1)  # TCP_NODELAY
_line.connect(socket.getaddrinfo("127.0.0.1", int(os.getenv("BOARD_PORT")))[0][-1])


def _tell(*words):
    _line.write(" ".join([str(word) for word in words]) + " " + str(time.ticks_us()) + "\n")


def _ask(*words):
    _tell(*words)
    return _line.readline().decode().strip()


class Pin:
    IN, OUT = 0, 1

    def __init__(self, name, mode=-1):
        if _ask("pin", name) != "yes":
            raise ValueError("invalid pin")
        self.name = name

    def init(self, mode, value=0):
        if mode == Pin.OUT:
            _tell("drive", self.name, value)
        else:
            _tell("let", self.name)

    def value(self, level=None):
        if level is None:
            return int(_ask("sense", self.name))
        _tell("drive", self.name, level)


class I2C:
    def __init__(self, number, freq=400_000, sda=None, scl=None):
        _tell("bus", number, freq, *[pin.name for pin in (sda, scl) if pin])
        self._byte_us = 9_000_000 // freq

    def writeto(self, address, data):
        if _ask("write", address, data.hex()) != "yes":
            raise OSError(19)
        time.sleep_us((len(data) + 2) * self._byte_us)

    def readfrom(self, address, count):
        data = _ask("read", address, count)
        if data == "no":
            raise OSError(19)
        return bytes.fromhex(data)

    def readfrom_into(self, address, data):
        data[:] = self.readfrom(address, len(data))
