"""How much sense pulses make under an assignment of wires to roles.

Source: HD44780U data sheet (ADE-207-272), table 6 and "Initializing by instruction"; for the rest, what programs send.
"""

from collections.abc import Sequence
from typing import NamedTuple


class Score(NamedTuple):
    """Points, and the most that the same pulses could have given."""

    points: float
    most: float

    @property
    def share(self) -> float:
        """The part of the most that it has."""
        return max(0.0, self.points) / self.most if self.most else 0.0


def _data_points() -> list[float]:
    points = [-1.5] * 256
    for code in range(8):
        points[code] = -0.1
    for code in range(0x21, 0x7E):
        points[code] = 0.4
    for code in b"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789":
        points[code] = 0.9
    for code in b" etaoinsrlhd.,:%-":
        points[code] = 1.0
    for code in (0x7E, 0x7F, 0xDF, 0xE4, 0xFF):
        points[code] = 0.0
    for code in range(0xA1, 0xE0):
        points[code] = max(points[code], -0.5)
    return points


DATA_POINTS = _data_points()
"""Points of a byte of text."""


def _instruction_points(width: int) -> list[float]:
    points = [0.0] * 256
    points[0] = -4.0
    points[0x01] = points[0x02] = 1.0
    points[0x03] = -1.0
    for code, value in ((0x06, 1.0), (0x04, 0.2), (0x05, 0.0), (0x07, 0.2)):
        points[code] = value
    for code in range(0x08, 0x10):
        points[code] = 1.0 if code in (0x08, 0x0C, 0x0E, 0x0F, 0x0D) else 0.0
    for code in range(0x10, 0x20):
        points[code] = 0.5 if code in (0x10, 0x14, 0x18, 0x1C) else -1.0
    for code in range(0x20, 0x40):
        fits = bool(code & 0x10) == (width == 8)
        points[code] = (1.0 if code & 0x0B in (0x08, 0x00) and not code & 0x03 else 0.0) if fits else -3.0
    for code in range(0x40, 0x80):
        points[code] = 0.5 if code % 8 == 0 else 0.1
    for code in range(0x80, 0x100):
        address = code & 0x7F
        row_start = address in (0x00, 0x40, 0x14, 0x54, 0x10, 0x50)
        points[code] = 1.0 if row_start else 0.5 if address < 0x28 or 0x40 <= address < 0x68 else -2.0
    return points


INSTRUCTION_POINTS = {4: _instruction_points(4), 8: _instruction_points(8)}
"""Points of an instruction, by data lines."""

START_POINTS = 6.0
"""Of a start-up as the data sheet has it, on four lines."""

OUT_OF_STEP = -3.0
"""Of a byte whose halves differ in RS."""

GLYPH_ROW, NO_GLYPH_ROW = 0.5, -1.0

RS_HALF, RS_BYTE = 16, 256

EIGHT, FOUR = 0x3, 0x2


def score_halves(halves: Sequence[int]) -> Score:
    """Score pulses of four data lines: each D4 to D7 from the lowest bit on, then RS."""
    points = most = 0.0
    at = 0
    starts = 0
    while at < len(halves) and halves[at] == EIGHT:
        starts += 1
        at += 1
    if starts and at < len(halves) and halves[at] == FOUR:
        at += 1
        points = START_POINTS * min(starts, 3) / 3
        most = START_POINTS
        return _plus(_pairs(halves, at), points, most)
    if halves and halves[0] == FOUR and len(halves) > 2 and halves[1] == FOUR:  # after a reset by the supply
        return _plus(_pairs(halves, 1), START_POINTS / 4, START_POINTS / 4)
    # From the middle of something: whichever halves belong together.
    return max(_pairs(halves, 0), _pairs(halves, 1), key=lambda score: score.points)


def score_bytes(codes: Sequence[int]) -> Score:
    """Score pulses of eight data lines: each D0 to D7 from the lowest bit on, then RS."""
    score = _bytes(codes, 8)
    starts = 0
    while starts < len(codes) and starts < 3 and codes[starts] & 0x1F0 == 0x30:
        starts += 1
    return _plus(score, START_POINTS * starts / 3, START_POINTS if starts else 0.0)


def _plus(score: Score, points: float, most: float) -> Score:
    return Score(score.points + points, score.most + most)


def _pairs(halves: Sequence[int], first: int) -> Score:
    codes = []
    broken = 0
    for upper, lower in zip(halves[first::2], halves[first + 1 :: 2], strict=False):
        if (upper ^ lower) & RS_HALF:
            broken += 1
        codes.append((upper & 15) << 4 | lower & 15 | (RS_BYTE if lower & RS_HALF else 0))
    return _plus(_bytes(codes, 4), OUT_OF_STEP * broken, 0.0)


def _bytes(codes: Sequence[int], width: int) -> Score:
    points = 0.0
    instructions = INSTRUCTION_POINTS[width]
    drawing = False
    for code in codes:
        if code & RS_BYTE:
            code &= 0xFF
            if not drawing:
                points += DATA_POINTS[code]
            else:
                points += GLYPH_ROW if code < 0x20 else NO_GLYPH_ROW
        else:
            points += instructions[code]
            if code & 0x80 or code in (1, 2):
                drawing = False
            elif code & 0x40:
                drawing = True
    return Score(points, float(len(codes)))


def phase_of(halves: Sequence[int]) -> str:
    """How a controller takes the first of these pulses: "eight" at a start-up, else as the "upper" or "lower" half."""
    starts = 0
    while starts < len(halves) and halves[starts] == EIGHT:
        starts += 1
    if starts and halves[starts : starts + 1] in ([FOUR], []):
        return "eight"
    if list(halves[:2]) == [FOUR, FOUR]:
        return "eight"
    return "lower" if _pairs(halves, 1).points > _pairs(halves, 0).points else "upper"
