"""The wires on a picture of a hookup, traced from box to box as somebody would who builds it from the picture."""

from collections import defaultdict
from itertools import combinations, pairwise
from typing import Any

from lumek.hookup.drawing import draw_hookup
from lumek.hookup.file import Hookup

NEAR = 0.7


def on(point: tuple, line: tuple) -> bool:
    """Whether a point is on a line of level and upright pieces."""
    x, y = point
    return any(
        min(a, c) - NEAR <= x <= max(a, c) + NEAR and min(b, d) - NEAR <= y <= max(b, d) + NEAR
        for (a, b), (c, d) in pairwise(line)
    )


class Picture:
    """boxes: (words, left, top, right, bottom). ends: box, side -> [(height or place along it, net)]."""

    def __init__(self, hookup: Hookup) -> None:
        figure = draw_hookup(hookup, [])
        artists: dict[str, list[Any]] = {
            gid: figure.findobj(lambda one, gid=gid: one.get_gid() == gid) for gid in ("wire", "box", "boxed")
        }
        words = {tuple(one.get_position()): one.get_text() for one in artists["boxed"]}
        self.boxes = []
        self.order = {}
        for one in artists["box"]:
            x, y, width, height = one.get_x(), one.get_y(), one.get_width(), one.get_height()
            words_in = words.get((x + width / 2, y + height / 2), "")
            self.boxes.append((words_in, x, y, x + width, y + height))
            self.order[self.boxes[-1]] = one.get_zorder()
        # Each wire is drawn in several strokes.
        wires = list(dict.fromkeys(tuple(map(tuple, one.get_xydata())) for one in artists["wire"]))
        self.wires = wires
        self.order.update((tuple(map(tuple, one.get_xydata())), one.get_zorder()) for one in artists["wire"])
        net = {wire: {wire} for wire in wires}
        for one, other in combinations(wires, 2):
            if any(on(end, other) for end in (one[0], one[-1])) or any(on(end, one) for end in (other[0], other[-1])):
                self._join(net, one, other)
        for _ in range(2):  # through parts, and then through parts behind these
            self.ends = defaultdict(list)
            for wire in wires:
                for x, y in {wire[0], wire[-1]}:
                    for box in self.boxes:
                        _, left, top, right, bottom = box
                        side = self._side(x, y, left, top, right, bottom)
                        if side:
                            self.ends[box, side].append((y if side in ("left", "right") else x, wire))
            for box in self.boxes:
                if (self.ends[box, "bottom"] and box[0].endswith("ohm")) or box[0] == "10 uF":
                    continue  # a potentiometer; a capacitor
                for y, one in self.ends[box, "left"]:
                    for other_y, other in self.ends[box, "right"]:
                        if abs(y - other_y) < NEAR:
                            self._join(net, one, other)
        self.net = net

    @staticmethod
    def _join(net: dict, one: tuple, other: tuple) -> None:
        if net[one] is not net[other]:
            net[one] |= net[other]
            for wire in net[one]:
                net[wire] = net[one]

    @staticmethod
    def _side(x: float, y: float, left: float, top: float, right: float, bottom: float) -> str:
        if top < y < bottom:
            return "left" if abs(x - left) < NEAR else "right" if abs(x - right) < NEAR else ""
        if left < x < right:
            return "top" if abs(y - top) < NEAR else "bottom" if abs(y - bottom) < NEAR else ""
        return ""

    def find(self, words: str, place: int, most_left: float = 0, most_right: float = 2000) -> tuple:
        """The box with these words, from so far left to so far right; of several that at a place from the top."""
        found = [box for box in self.boxes if box[0] == words and most_left <= box[1] < most_right]
        return sorted(found, key=lambda box: box[2])[place]

    def reached(self, box: tuple, side: str) -> set[str]:
        """The words of all boxes in which a net that leaves a box by a side ends, but for parts in between."""
        found = set()
        for _, wire in self.ends[box, side]:
            for other, other_side in self.ends:
                if other != box and any(self.net[one] is self.net[wire] for _, one in self.ends[other, other_side]):
                    found.add(other)
        return {other[0] for other in found}

    def hidden(self) -> list[str]:
        """Wires that vanish behind a box and do not end at it."""
        wrong = []
        for wire in self.wires:
            for words, left, top, right, bottom in self.boxes:
                box = words, left, top, right, bottom
                if right - left > 200 or self.order[wire] > self.order[box]:  # at a board's pins wires end
                    continue
                for (a, b), (c, d) in pairwise(wire):
                    over = min(max(a, c), right - 6) - max(min(a, c), left + 6)
                    down = min(max(b, d), bottom - 6) - max(min(b, d), top + 6)
                    if over > (0 if a != c else -NEAR) and down > (0 if b != d else -NEAR):
                        wrong.append(f"{wire} behind {words!r} at {left, top}")
        return wrong
