"""What joining needs of Unicode's tables, for MicroPython, which has none: Latin, Greek, Cyrillic and kana letters."""

MARKS = (
    "\u0300\u036f\u0483\u0489\u0591\u05bd\u05bf\u05bf\u05c1\u05c2\u05c4\u05c5\u0610\u061a\u064b\u065f\u0e31\u0e31"
    "\u0e34\u0e3a\u0e47\u0e4e\u1ab0\u1ace\u1dc0\u1dff\u20d0\u20f0\u302a\u302f\u3099\u309a\ufe00\ufe0f\ufe20\ufe2f"
)
"""Ranges of combining marks, each as its first and its last."""

SINGLE = {
    "\u2126": "Ω", "\u212a": "K", "\u212b": "Å",
    "\u0374": "\u02b9", "\u037e": ";", "\u0387": "·", "\u1fbe": "ι", "\u1fef": "`", "\u1ffd": "´",
}  # fmt: skip
"""Characters that are written as another."""


def category(character: str) -> str:
    """The category of a character (general category M for the marks known here), else nothing known: "-"."""
    for at in range(0, len(MARKS), 2):
        if MARKS[at] <= character <= MARKS[at + 1]:
            return "M"
    return "-"


def normalize(form: str, text: str) -> str:
    """The text with each letter and the marks after it composed; `form` is always NFC here.

    Marks are taken in the order in which they are written; two of different places over one letter are not sorted.
    """
    from lumek.core.tables.compositions import PAIRS  # large

    done: list[str] = []
    for character in text:
        made = ""
        if done and character in PAIRS:
            letters, composed = PAIRS[character]
            at = letters.find(done[-1])
            made = composed[at] if at >= 0 else ""
        if made:
            done[-1] = made
        else:
            done.append(SINGLE.get(character, character))
    return "".join(done)
