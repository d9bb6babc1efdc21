"""What is done to a set while it is drawn: dots, glyphs and blocks, with every step back and forth.

A state is a whole `GlyphSet` and the place in it, and never changes; a step puts the next one on the pile. Nothing here
knows a screen or a file: the editor shows a sketch and keeps it.
"""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from lumek._harmless import quoted
from lumek.core.block import GAP, Block
from lumek.core.glyph import COLUMNS, ROWS, Glyph
from lumek.errors import GlyphError
from lumek.glyphs.glyph_set import MOST, PLACES, GlyphSet, as_name

MOST_STEPS = 1000
"""Steps that can be undone."""

DotRows = list[list[bool]]


class State(NamedTuple):
    """A set, and what of it is drawn: the name of a glyph or, when `is_block`, of a block."""

    glyphs: GlyphSet
    name: str
    is_block: bool = False


class Sketch:
    """A set that is being drawn. Every change can be undone.

    glyphs: what it begins with; an empty set begins with a blank glyph.
    Dots are counted by row and column in the picture that is drawn, a glyph or a block; in a block there is one row and
    one column between two cells, where the glass has no dots.
    """

    def __init__(self, glyphs: GlyphSet) -> None:
        if not glyphs:
            glyphs = GlyphSet({"glyph_1": Glyph([0] * ROWS)})
        block = next(iter(glyphs.blocks), None)
        self._states = [State(glyphs, block or next(iter(glyphs)), block is not None)]
        self._at = 0
        self._stroke = False
        self.kept: DotRows | None = None
        """The dots that were copied."""

    @property
    def state(self) -> State:
        """What there is now."""
        return self._states[self._at]

    @property
    def glyphs(self) -> GlyphSet:
        """The set as it is now."""
        return self.state.glyphs

    @property
    def places(self) -> list[tuple[str, bool]]:
        """What can be drawn, in order: (name, whether it is a block), blocks first."""
        glyphs = self.glyphs
        return [(name, True) for name in glyphs.blocks] + [(name, False) for name in glyphs]

    @property
    def block(self) -> Block | None:
        """The block that is drawn, if it is one."""
        return self.glyphs.block(self.state.name) if self.state.is_block else None

    @property
    def dots(self) -> DotRows:
        """The dots of the picture that is drawn; those between cells of a block are never lit."""
        block = self.block
        return self.glyphs[self.state.name].dots if block is None else block.dots(gaps=True)

    def is_dot(self, row: int, column: int) -> bool:
        """Whether there is a dot at a place: it is in the picture, and not between two cells."""
        dots = self.dots
        if not (0 <= row < len(dots) and 0 <= column < len(dots[0])):
            return False
        return not self.state.is_block or (row % (ROWS + GAP) < ROWS and column % (COLUMNS + GAP) < COLUMNS)

    def choose(self, place: int) -> None:
        """Go to the place of this number, around and around. That is not a step."""
        places = self.places
        name, is_block = places[place % len(places)]
        self._states[self._at] = State(self.glyphs, name, is_block)
        self._stroke = False

    def move(self, by: int) -> None:
        """Go to the next place, or with -1 to the one before."""
        self.choose(self.places.index((self.state.name, self.state.is_block)) + by)

    def put(self, row: int, column: int, lit: bool, same_stroke: bool = False) -> None:
        """Light a dot, or darken it.

        same_stroke: it belongs to the dots before, and is undone with them.
        """
        if not self.is_dot(row, column):
            return
        dots = self.dots
        goes_on = same_stroke and self._stroke
        if dots[row][column] != lit:
            dots[row][column] = lit
            self._take(self._with(dots), instead=goes_on)
        self._stroke = True

    def toggle(self, row: int, column: int) -> None:
        """Turn a dot round."""
        if self.is_dot(row, column):
            self.put(row, column, not self.dots[row][column])
            self._stroke = False

    def fill_row(self, row: int) -> None:
        """Light a row, or darken it when all of it is lit."""
        self._fill([(row, column) for column in range(len(self.dots[0]))])

    def fill_column(self, column: int) -> None:
        """Light a column, or darken it when all of it is lit."""
        self._fill([(row, column) for row in range(len(self.dots))])

    def _fill(self, places: Sequence[tuple[int, int]]) -> None:
        dots = self.dots
        there = [(row, column) for row, column in places if self.is_dot(row, column)]
        lit = not all(dots[row][column] for row, column in there)
        for row, column in there:
            dots[row][column] = lit
        self._take(self._with(dots))

    def mirror(self) -> None:
        """Exchange left and right."""
        self._change(lambda dots: [line[::-1] for line in dots])

    def upend(self) -> None:
        """Exchange top and bottom."""
        self._change(lambda dots: dots[::-1])

    def invert(self) -> None:
        """Exchange lit and unlit."""
        self._change(lambda dots: [[not dot for dot in line] for line in dots])

    def clear(self) -> None:
        """Darken all dots."""
        self._change(lambda dots: [[False] * len(line) for line in dots])

    def shift(self, right: int, down: int) -> None:
        """Move all dots; what leaves on one side comes in on the other."""
        self._change(lambda dots: [[dots[(row - down) % len(dots)][(column - right) % len(dots[0])]
                                    for column in range(len(dots[0]))] for row in range(len(dots))])  # fmt: skip

    def turn(self) -> None:
        """Turn what is lit by a quarter, clockwise, about its middle. What does not fit is cut."""
        self._change(_turned)

    def keep(self) -> None:
        """Copy the dots of the picture, to paste them elsewhere."""
        self.kept = self.dots

    def paste(self) -> None:
        """Draw what was copied, from the upper left corner on."""
        if self.kept is None:
            raise GlyphError("nothing has been copied yet: k copies")
        kept = self.kept
        self._change(lambda dots: [[kept[row][column] if row < len(kept) and column < len(kept[0]) else False
                                    for column in range(len(dots[0]))] for row in range(len(dots))])  # fmt: skip

    def add(self, copy: bool = False) -> None:
        """Add a blank glyph, or a copy of the one that is drawn, and go to it. Raises GlyphError for one too many."""
        glyphs = self.glyphs
        if len(glyphs) >= MOST:
            raise GlyphError(f"a set has at most {MOST} glyphs")
        number = len(glyphs) + 1
        while f"glyph_{number}" in glyphs:
            number += 1
        source = None if self.state.is_block else glyphs[self.state.name]
        new = source if copy and source is not None else Glyph([0] * glyphs.rows)
        name = f"glyph_{number}"
        self._take(State(GlyphSet({**glyphs, name: new}, glyphs.characters, glyphs.blocks), name))

    def add_block(self, columns: int, rows: int, name: str = "block") -> None:
        """Add a blank block of new glyphs, and go to it. Raises GlyphError where the set cannot have one.

        columns, rows: 1 to 4 and 1 or 2; see `lumek.glyphs.tracing.block_size`.
        """
        glyphs = self.glyphs
        name, number = as_name(name)[:36], 1
        stem = name
        while stem in glyphs.blocks or any(f"{stem}_{at}" in glyphs for at in range(1, columns * rows + 1)):
            number += 1
            stem = f"{name}{number}"
        names = [f"{stem}_{at}" for at in range(1, columns * rows + 1)]
        new = {**glyphs, **{one: Glyph([0] * ROWS) for one in names}}
        free = [place for place in PLACES if place not in glyphs.drawings]
        characters = {**glyphs.characters, **dict(zip(names, free, strict=False))}
        lines = [names[row * columns : (row + 1) * columns] for row in range(rows)]
        self._take(State(GlyphSet(new, characters, {**glyphs.blocks, stem: lines}), stem, True))

    def remove(self) -> None:
        """Take the glyph or block away, a block with its glyphs. Raises GlyphError for the last glyph."""
        glyphs, (_, name, is_block) = self.glyphs, self.state
        gone = {one for row in glyphs.blocks[name] for one in row} if is_block else {name}
        left = [one for one in glyphs if one not in gone]
        if not left:
            raise GlyphError("a set keeps at least one glyph: clear it, or add another one first")
        place = self.places.index((name, is_block))
        self._take(State(glyphs.only(left), left[0]))
        self.choose(min(place, len(self.places) - 1))

    def rename(self, name: str, character: str | None) -> None:
        """Give the glyph or block another name, and a glyph the character that it draws, if any. Raises GlyphError."""
        glyphs, (_, old, is_block) = self.glyphs, self.state
        if name != old and name in (glyphs.blocks if is_block else glyphs):
            raise GlyphError(f"there is already a {'block' if is_block else 'glyph'} {quoted(name)}")
        if is_block:
            blocks = {name if one == old else one: rows for one, rows in glyphs.blocks.items()}
            self._take(State(GlyphSet(glyphs, glyphs.characters, blocks), name, True))
            return
        characters = {name if one == old else one: character_ for one, character_ in glyphs.characters.items()}
        characters.pop(name, None)
        self._take(State(
            GlyphSet(
                {name if one == old else one: glyph for one, glyph in glyphs.items()},
                characters if character is None else {**characters, name: character},
                {block: [[name if one == old else one for one in row] for row in rows]
                 for block, rows in glyphs.blocks.items()},
            ),
            name,
        ))  # fmt: skip

    def replace(self, glyphs: GlyphSet) -> None:
        """Put another set in its place, as one step."""
        sketch = Sketch(glyphs)
        self._take(sketch.state)

    def undo(self) -> bool:
        """Go a step back. Returns whether there was one."""
        self._stroke = False
        self._at, before = max(0, self._at - 1), self._at
        return self._at != before

    def redo(self) -> bool:
        """Go a step forth again. Returns whether there was one."""
        self._stroke = False
        self._at, before = min(len(self._states) - 1, self._at + 1), self._at
        return self._at != before

    def _change(self, how: Callable[[DotRows], DotRows]) -> None:
        self._take(self._with(how(self.dots)))

    def _with(self, dots: DotRows) -> State:
        """The state in which the picture has these dots."""
        glyphs, name, is_block = self.state
        new = dict(glyphs)
        if is_block:
            cells = Block(dots, gaps=True).cells
            for names, row in zip(glyphs.blocks[name], cells, strict=True):
                new.update(zip(names, row, strict=True))
        else:
            new[name] = Glyph(dots)
        return State(GlyphSet(new, glyphs.characters, glyphs.blocks), name, is_block)

    def _take(self, state: State, instead: bool = False) -> None:
        """Go to another state: a new step, or a part of the last one."""
        self._stroke = False
        if state == self.state:
            return
        del self._states[self._at + 1 :]
        if instead:
            self._states[self._at] = state
            return
        self._states.append(state)
        if len(self._states) > MOST_STEPS:
            del self._states[0]
        self._at = len(self._states) - 1


def _turned(dots: DotRows) -> DotRows:
    """A picture whose lit dots are turned by a quarter about the middle of the rectangle that they fill."""
    lit = [(row, column) for row, line in enumerate(dots) for column, dot in enumerate(line) if dot]
    if not lit:
        return dots
    rows, columns = [row for row, _ in lit], [column for _, column in lit]
    turned = [[False] * len(line) for line in dots]
    # Twice the middle, so that all stays whole: a dot goes from (y, x) to (x, -y) about it.
    middle_row, middle_column = min(rows) + max(rows), min(columns) + max(columns)
    for row, column in lit:
        new_row = (2 * column - middle_column + middle_row) // 2
        new_column = (middle_column - (2 * row - middle_row)) // 2
        if 0 <= new_row < len(dots) and 0 <= new_column < len(dots[0]):
            turned[new_row][new_column] = True
    return turned
