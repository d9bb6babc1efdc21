"""What a program has written into every cell, and the codes that show it.

Cells beside the glass count, too, since a slide brings them in. All is kept by controller and index (see `geometry`);
rows and columns are places on the glass with the current shift.
"""

from collections import namedtuple

from lumek.core.geometry import MEMORY, Geometry
from lumek.core.glyph import LARGE_ROWS, ROWS
from lumek.core.picture import BLANKS, Picture
from lumek.core.slots import BLANK, COUNT, REPLACEMENT, Slots
from lumek.core.text import bare
from lumek.errors import GlyphError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence

    from lumek.core.glyph import Glyph
    from lumek.protocols import Content
    from lumek.roms.rom import Rom

PICTURED = "\ufffc"
"""Stands in text for a glyph that was assigned to a cell without being the drawing of a character."""

FULL_CELL = b"\x1f" * LARGE_ROWS

TALL = 0xE0
"""The first code that the ROM draws with more rows in the larger font."""

MOST_LOOKS = 256
"""Cache limit: a program may draw new glyphs for years."""

MOST_TOLD = 1000
"""Cache limit for losses that were reported."""

Look = namedtuple("Look", ("code", "instead", "rows", "rank"))
"""How a content is shown: by a drawing (`rows`), when it finds a slot; without one by a code of the ROM.

instead: what that code draws, where it is not what was written. rank: who comes first when there are too few slots, the
lowest first.
"""


class Cells:
    """The cells of a panel of this geometry with this ROM.

    rom: as it was given.
    shift: columns by which the picture is shifted to the right.
    glyphs: the program's own drawings by character.
    dirty: whether a cell may show something other than what was last brought to the panel.
    lost: what could not be shown as written, and was not reported yet: (written, shown, whether a slot would have
        helped).
    """

    def __init__(self, geometry: Geometry, rom: "Rom") -> None:
        self._geometry = geometry
        self.rom = rom
        self._pictures = [Picture() for _ in range(geometry.controllers)]
        self.glyphs: dict[str, Glyph] = {}
        self.lost: list[tuple[str, str, bool]] = []
        self._contents: list[list[Content]] = [[" "] * MEMORY for _ in self._pictures]
        self._drawn: list[dict[int, Look]] = []
        self._seen: list[dict[int, int]] = []  # the slot that each cell shows
        self._slots: list[Slots] = []  # these three are empty until a drawing is wanted
        self._looks: dict[Content, Look] = {}
        self._ranks: dict[str, int] = {}
        self._redrawn: list[tuple[bytes, bytes]] = []
        self._asked: tuple[object, ...] = ()
        self._tag = 0
        self._told: set[tuple[str, str, bool]] = set()
        self.dirty = True
        self._unsettled = False
        self.slide_to(0)

    def slide_to(self, shift: int) -> None:
        """Shift the picture to the right by this many columns."""
        self.shift = shift % self._geometry.ring
        self._unsettled = len(self._slots) > 0  # what is on the glass comes first
        self._grid = self._geometry.grid(self.shift)

    def blank(self) -> None:
        """Blank all cells."""
        self.dirty = self._unsettled = True
        for number, picture in enumerate(self._pictures):
            self._contents[number] = [" "] * MEMORY
            picture.may_differ()
            picture.codes[:] = BLANKS
        for drawn in self._drawn:
            drawn.clear()

    def contents(self, row: int) -> "list[Content]":
        """What was written in the cells of a row: characters and glyphs."""
        contents = self._contents[self._geometry.controller_of(row)]
        return [contents[index] for index in self._grid[row]]

    def text(self, rows: range, columns: range) -> list[str]:
        """What was written, row by row; PICTURED for a glyph that was assigned to a cell."""
        lines = []
        for row in rows:
            contents, indexes = self._contents[self._geometry.controller_of(row)], self._grid[row]
            lines.append("".join([text_of(contents[indexes[column]]) for column in columns]))
        return lines

    def contents_of(self, rows: range, columns: range) -> "list[list[Content]]":
        """What was written in a place: characters and glyphs, row by row."""
        return [[contents[column] for column in columns] for contents in map(self.contents, rows)]

    def check(self, lines: "Sequence[Sequence[Content]]") -> None:
        """Raise GlyphError for a glyph with more rows than a cell has."""
        for line in lines:
            for content in line:
                if not isinstance(content, str) and len(content.rows) != ROWS:
                    self.fitting(content)

    def fill(self, rows: range, columns: range, lines: "Sequence[Sequence[Content]]") -> None:
        """Write a line of contents in each row: cut at the edge, blank after its end."""
        # Counting here costs a board less than `enumerate` and `zip`.
        looks, width = self._looks, len(columns)
        for row in rows:
            controller = row * self._geometry.controllers // self._geometry.rows
            indexes, contents, picture = self._grid[row], self._contents[controller], self._pictures[controller]
            number = row - rows.start
            line: Sequence[Content] = lines[number] if number < len(lines) else []
            if len(line) != width:
                line = list(line)[:width] + [" "] * (width - len(line))
            column = columns.start
            for content in line:
                index = indexes[column]
                column += 1
                before = contents[index]
                if before is not content and before != content:
                    self.dirty = True
                    look = looks.get(content) or self._look(content)
                    if index < picture.first:
                        picture.first = index
                    if index >= picture.past:
                        picture.past = index + 1
                    picture.codes[index] = look[0]
                    if look[2] is not None:
                        self._want(controller, index, look)
                    elif self._drawn and index in self._drawn[controller]:
                        del self._drawn[controller][index]
                        self._unsettled = True
                    contents[index] = content  # last: a program that is interrupted here writes the cell again

    def pictures(self) -> list[Picture]:
        """What each controller is to show, finished; see `ask`.

        The pictures stay the cells' own: read them, and change nothing but the range of cells that differ.
        """
        if self._unsettled:
            for number, slots in enumerate(self._slots):
                if self._drawn[number] or slots.in_use:
                    self._settle(number)
            self._redrawn = []
            self._unsettled = False
        return self._pictures

    def ask(self, on: bool, leftward: bool, cursor: "tuple[int, int] | None", underline: bool, blink: bool) -> None:
        """Say how the cells are to be shown: at the current shift, until this is called again.

        on, underline, blink: the display control bits.
        leftward: whether the address counter counts down.
        cursor: row and column of a cursor that shows.
        """
        asked = on, leftward, cursor, underline, blink, self.shift
        if asked == self._asked:
            return
        self._asked = ()  # until it is done
        self._tag += 1
        for picture in self._pictures:
            picture.counter, picture.tag = None, None if leftward or cursor else self._tag
            picture.underline = picture.blink = False
            picture.on, picture.shift, picture.leftward = on, self.shift, leftward
        if cursor is not None:
            picture = self._pictures[self._geometry.controller_of(cursor[0])]
            picture.counter, picture.underline, picture.blink = self._grid[cursor[0]][cursor[1]], underline, blink
        self._asked = asked

    def _want(self, controller: int, index: int, look: Look) -> None:
        """Note that a cell is to show a drawing."""
        self._unsettled = True
        if not self._slots:
            self._drawn = [{} for _ in self._pictures]
            self._seen = [{} for _ in self._pictures]
            self._slots = [Slots(self._geometry.slots) for _ in self._pictures]
        self._drawn[controller][index] = look

    def _settle(self, number: int) -> None:
        """Give slots to the drawings that the cells ask for, or the next best code where eight do not do."""
        slots, drawn, picture = self._slots[number], self._drawn[number], self._pictures[number]
        order = sorted(drawn)
        wanted: list[bytes] = []
        seen = self._seen[number]
        before: dict[bytes, int] = {}
        for index in order:
            rows = drawn[index].rows
            slot = before.get(rows)
            if slot is None:
                wanted.append(rows)
            if slot is None or slot < 0:
                before[rows] = seen.get(index, -1)
        for rows, other in self._redrawn:
            if rows not in wanted:
                slots.redraw(rows, other)
        if len(wanted) > len(self._geometry.slots):
            wanted = self._first(number, order)
        places = slots.give([(rows, before[rows]) for rows in wanted])
        seen.clear()
        for index in order:
            code = places.get(drawn[index].rows)
            if code is None:
                code, instead = self._nearest(self._contents[number][index])
                self._lose(self._contents[number][index], instead, True)
            else:
                seen[index] = code
            if code != picture.codes[index]:
                picture.first, picture.past = min(picture.first, index), max(picture.past, index + 1)
                picture.codes[index] = code
        picture.glyphs = slots.drawings()

    def draw(self, character: str, glyph: "Glyph | None") -> None:
        """Make a glyph the drawing of a character (as `bare`), or with None give it back the one that it had."""
        old = self.glyphs.pop(character, None)
        if glyph is not None:
            self.glyphs[character] = glyph
            if old is not None and self._slots:
                self._redrawn.append((self.fitting(old), self.fitting(glyph)))
        self._look_again(character)

    def fitting(self, glyph: "Glyph") -> bytes:
        """The rows of a glyph as a cell shows them. Raises GlyphError for more rows than it has."""
        rows, wanted = glyph.rows, self._geometry.glyph_rows
        if len(rows) > wanted:
            raise GlyphError(
                f"a cell shows {wanted} rows, and this glyph has {len(rows)}: take rows out of it, or start a panel of "
                "one line with font='5x10'"
            )
        return self._filled(rows)

    def _filled(self, rows: bytes) -> bytes:
        return rows + bytes(self._geometry.glyph_rows - len(rows))

    def rank(self, character: str, rank: int) -> None:
        """Say how early a character (as `bare`) gets a slot, the lowest first; 0 is usual."""
        self._ranks.pop(character, None)
        if rank:
            self._ranks[character] = rank
        self._look_again(character)

    def rows_of(self, content: "Content") -> bytes | None:
        """The drawing for which a content needs a slot, or None when it needs none."""
        rows: bytes | None = (self._looks.get(content) or self._found(content)).rows
        return rows

    def drawings(self) -> dict[tuple[int, int], bytes]:
        """{(row, column): rows} of the cells that show a drawing: one from a slot, or a glyph that the ROM has."""
        found = {}
        for row, indexes in enumerate(self._grid):
            controller = self._geometry.controller_of(row)
            for column, index in enumerate(indexes):
                content = self._contents[controller][index]
                rows = (self._looks.get(content) or self._look(content)).rows
                if self._pictures[controller].codes[index] < COUNT:
                    found[row, column] = rows
                elif rows is None and not isinstance(content, str):
                    found[row, column] = bytes(content.rows)
        return found

    def compromises(self) -> dict[tuple[int, int], tuple[str, str]]:
        """{(row, column): (written, shown)} of the cells that show something other than was written."""
        found = {}
        for row, indexes in enumerate(self._grid):
            controller = self._geometry.controller_of(row)
            for column, index in enumerate(indexes):
                content = self._contents[controller][index]
                look = self._looks.get(content) or self._look(content)
                instead = look.instead
                if look.rows is not None and self._pictures[controller].codes[index] >= COUNT:
                    instead = self._nearest(content)[1]
                if instead:
                    found[row, column] = (text_of(content), instead)
        return found

    def places(self) -> "list[tuple[int, list[int]]]":
        """For each row on the glass its controller, and the index behind each cell."""
        return [(self._geometry.controller_of(row), indexes) for row, indexes in enumerate(self._grid)]

    def written(self, controller: int, index: int) -> "tuple[Content, bytes | None]":
        """What was written into a cell, and the drawing that it asks a slot for, if it does."""
        look = self._drawn[controller].get(index) if self._drawn else None
        return self._contents[controller][index], look.rows if look else None

    def _first(self, number: int, order: list[int]) -> list[bytes]:
        """The drawings that get a slot when more are wanted than there are slots.

        What was given precedence comes first, then what is on the glass, then what stood there before, then what
        is read first.
        """
        drawn, shown = self._drawn[number], self._slots[number].drawings()
        glass = [index for row in range(self._geometry.rows) for index in self._grid[row]
                 if self._geometry.controller_of(row) == number]  # fmt: skip
        best: dict[bytes, tuple[int, bool, bool, int]] = {}
        for index in order:
            rows = drawn[index].rows
            seen = index in glass
            place = (drawn[index].rank, not seen, rows not in shown, glass.index(index) if seen else index)
            best[rows] = min(place, best.get(rows, place))
        return sorted(best, key=lambda rows: best[rows])[: len(self._geometry.slots)]

    def _look(self, content: "Content") -> Look:
        """How a content is to be shown, which is then known."""
        if len(self._looks) >= MOST_LOOKS:
            self._looks.clear()
        look = self._looks[content] = self._found(content)
        if look.instead:
            self._lose(content, look.instead, False)
        return look

    def _found(self, content: "Content") -> Look:
        if not isinstance(content, str):
            return self._drawing(self.fitting(content), 0)
        character = bare(content)
        rank = self._ranks.get(character, 0)
        if character in self.glyphs:
            return self._drawing(self.fitting(self.glyphs[character]), rank)
        code = self.rom.code(character)
        if code is not None:
            return Look(code, "", None, 0)
        from lumek.core.bundled import drawing_of  # large, and not needed by most programs

        rows = drawing_of(character)
        if rows is not None:
            return self._drawing(self._filled(rows), rank)
        code, instead = self._nearest(content)
        return Look(code, instead, None, 0)

    def _drawing(self, rows: bytes, rank: int) -> Look:
        """The look of a drawing, which needs no slot when the ROM has just this one."""
        code = self.rom.matching(rows[:ROWS])
        if rows == FULL_CELL:
            code = self.rom.code("█")
        elif self._geometry.tall and (any(rows[ROWS:]) or (code or 0) >= TALL):
            code = None
        return Look(BLANK, "", rows, rank) if code is None else Look(code, "", None, 0)

    def _nearest(self, content: "Content") -> tuple[int, str]:
        """The code shown for a content that has no drawing, or no slot for it, and what that draws."""
        return self.rom.find(bare(content) if isinstance(content, str) else REPLACEMENT)

    def _look_again(self, character: str) -> None:
        """Forget how a character is shown, and show it again in its cells."""
        self.dirty = self._unsettled = True
        for known in list(self._looks):
            if isinstance(known, str) and bare(known) == character:
                del self._looks[known]
        for controller, contents in enumerate(self._contents):
            for index, content in enumerate(contents):
                if isinstance(content, str) and bare(content) == character:
                    look = self._looks.get(content) or self._look(content)
                    self._pictures[controller].may_differ()
                    self._pictures[controller].codes[index] = look.code
                    if self._drawn:
                        self._drawn[controller].pop(index, None)
                    if look.rows is not None:
                        self._want(controller, index, look)

    def _lose(self, content: "Content", instead: str, drawn: bool) -> None:
        """Note that something else is shown for a content; `drawn` when it has a drawing, but no slot."""
        loss = (text_of(content), instead, drawn)
        if loss not in self._told:
            if len(self._told) >= MOST_TOLD:
                self._told.clear()
            self._told.add(loss)
            self.lost.append(loss)


def text_of(content: "Content") -> str:
    """The text of a content: PICTURED for a glyph."""
    return content if isinstance(content, str) else PICTURED
