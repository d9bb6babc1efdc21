"""All that decides what a controller shows, as one value: what plans lead from and to."""

from lumek.core.geometry import MEMORY
from lumek.core.instructions import display_control
from lumek.core.slots import BLANK
from lumek.core.slots import COUNT as SLOTS

BLANKS = bytes((BLANK,)) * MEMORY


class Picture:
    """All that decides what a controller shows, and where its address counter is.

    codes: the 80 bytes of DDRAM by index (see `geometry`).
    shift: columns by which the display is shifted to the right, 0 up to the ring of the geometry.
    on, underline, blink: the display control bits.
    counter: index at the address counter; of an address of CGRAM its complement, `~address`. None: unknown, or any
        will do.
    glyphs: the eight rows that each of the eight slots holds. None: unknown, or any will do.
    rs: 1 when RS was last as for data, 0 for an instruction; what it costs to be wrong is one change of it.
    leftward: whether the address counter counts down.
    scrolls: whether writing shifts the display, which no plan wants, and a program may have sent.
    tag: two pictures with the same one differ in codes and drawings at most, besides a counter that may be any; the
        address counter counts up. None: that is not known.
    first, past: where the codes may differ from those of the last picture with the same tag that a plan led to: from
        the index `first` to before `past`.
    """

    __slots__ = (
        "blink", "codes", "counter", "first", "glyphs", "leftward", "on", "past", "rs", "scrolls", "shift",
        "tag", "underline",
    )  # fmt: skip

    def __init__(self) -> None:
        self.codes = bytearray(BLANKS)
        self.shift = 0
        self.on = False
        self.underline = False
        self.blink = False
        self.counter: int | None = 0
        self.glyphs: list[bytes | None] = [None] * SLOTS
        self.rs = 0
        self.leftward = self.scrolls = False
        self.tag: int | None = None
        self.first, self.past = 0, MEMORY

    def may_differ(self) -> None:
        """Say that any code may be about to change."""
        self.first, self.past = 0, MEMORY

    def copy(self) -> "Picture":
        """Another picture, equal to this one."""
        other = Picture().become(self)
        other.glyphs, other.counter = self.glyphs[:], self.counter
        return other

    def become(self, other: "Picture") -> "Picture":
        """Take all from another picture but its drawings and its counter. Returns itself."""
        self.codes[:] = other.codes
        self.shift, self.leftward, self.scrolls = other.shift, other.leftward, other.scrolls
        self.on, self.underline, self.blink, self.tag = other.on, other.underline, other.blink, other.tag
        return self

    def control(self) -> int:
        """The instruction that sets the display control bits."""
        return display_control(self.on, self.underline, self.blink)
