"""Numbers: arrays of C, and lists with a line for each glyph. What people paste is read, too.

Reading knows no grammar. It takes the innermost groups in braces, brackets or parentheses that have numbers; without
such groups, the lines that have a whole glyph each, or all numbers as one list. A comment behind a group or line that
is a name, or a name and a code point, names the glyph; so does the name of the array.
"""

import re
from dataclasses import dataclass, field

from lumek._harmless import quoted
from lumek.core.glyph import FULL_ROW, LARGE_ROWS, ROWS, Glyph
from lumek.errors import GlyphError
from lumek.glyphs.formats import Options, decoded
from lumek.glyphs.formats.entries import Parsed, collected, note, noted
from lumek.glyphs.glyph_set import GlyphSet, as_name, identifier

FLASH = {"PROGMEM": "avr/pgmspace.h"}
"""Attribute: the header that has it, in avr-libc."""

KEYWORDS = {
    "auto", "break", "case", "char", "const", "continue", "default", "do", "double", "else", "enum", "extern", "float",
    "for", "goto", "if", "inline", "int", "long", "main", "register", "restrict", "return", "short", "signed", "sizeof",
    "static", "struct", "switch", "typedef", "union", "unsigned", "void", "volatile", "while",
}  # fmt: skip
"""Of C99 (ISO/IEC 9899:1999, 6.4.1), and what every program has."""

ATTRIBUTE = re.compile(r"[A-Za-z_]\w*|__attribute__\s*\(\([\w\s\".,()]*\)\)")

TOKENS = re.compile(
    r"""(?P<comment>//[^\n]*|/\*.*?\*/|\#[^\n]*)
    |(?P<text>"(?:\\.|[^"\\\n])*"|'(?:\\.|[^'\\\n])*')
    |(?P<size>(?<=[\w\])])\s*\[[^\[\]{}\n]*\])
    |(?P<binary>\b(?:0b|B)[01']+[uUlL]*\b)
    |(?P<hex>\b0[xX][0-9A-Fa-f']+[uUlL]*\b)
    |(?P<decimal>(?<![\w.])\d+[uUlL]*\b(?!\.))
    |(?P<word>[A-Za-z_]\w*)
    |(?P<open>[{(\[])|(?P<close>[})\]])|(?P<line>\n)|(?P<equals>=)|(?P<other>[^\s,])""",
    re.VERBOSE | re.DOTALL,
)

FORMS = {"hex": "0x{:02X}", "c": "0x{:02X}", "binary": "0b{:05b}", "decimal": "{}"}


@dataclass
class Numbers:
    """Numbers within one pair of braces, or on one line outside of them."""

    line: int
    name: str | None = None
    numbers: list[int] = field(default_factory=list)
    inner: int = 0
    note: tuple[str, str | None] | None = None


def read(data: bytes, source: str, format: str) -> GlyphSet:
    """The glyphs of an array or list. Raises GlyphError, which names the line."""
    groups, lines = _groups(decoded(data, source), source)
    if groups:
        found = [one for group in groups for one in _glyphs_of(group, source)]
    elif lines and all(len(line.numbers) in (ROWS, LARGE_ROWS) for line in lines):
        found = [one for line in lines for one in _glyphs_of(line, source)]
    elif lines:
        whole = Numbers(lines[0].line, None, [number for line in lines for number in line.numbers])
        found = _glyphs_of(whole, source)
    else:
        found = []
    return collected(found, source, f"list of {ROWS} numbers")


def write(glyphs: GlyphSet, options: Options, format: str) -> bytes:
    """A C header, or a list with a line for each glyph."""
    form = FORMS[format]
    lines = [", ".join([form.format(row) for row in glyph.numbers]) for glyph in glyphs.values()]
    notes = [note(name, character) for name, _, character in glyphs.entries]
    if format != "c":
        return "".join([f"{line}  // {said}\n" for line, said in zip(lines, notes, strict=True)]).encode()
    return _header(glyphs, options, lines, notes).encode()


def _header(glyphs: GlyphSet, options: Options, lines: list[str], notes: list[str]) -> str:
    """A C99 header: an array of rows for each glyph, and its place in it by name."""
    if options.attribute and not ATTRIBUTE.fullmatch(options.attribute):
        raise GlyphError(f"{quoted(options.attribute)} is not an attribute of C, such as PROGMEM")
    if not glyphs:
        raise GlyphError("an array of C has one glyph at least")
    name = identifier(options.name)
    stem, guard = name.upper(), f"{name.upper()}_H"
    name += "_" * (name in KEYWORDS)
    places: list[str] = []
    for one in glyphs:
        place = f"{stem}_{as_name(one).upper()}"
        while place in places or place in (guard, stem, f"{stem}_COUNT"):
            place += "_"
        places.append(place)
    includes = ["stdint.h", *([FLASH[options.attribute]] if options.attribute in FLASH else [])]
    attribute = f" {options.attribute}" if options.attribute else ""
    return "\n".join([
        f"#ifndef {guard}", f"#define {guard}", "", *[f"#include <{one}>" for one in includes], "",
        f"/* Glyphs of 5x{glyphs.rows} dots: a number for each row, the leftmost dot counting 16. */",
        f"static const uint8_t {name}[{len(glyphs)}][{glyphs.rows}]{attribute} = {{",
        *[f"    {{{line}}}, /* {said} */" for line, said in zip(lines, notes, strict=True)],
        "};", "",
        "enum {", *[f"    {place}," for place in places], f"    {stem}_COUNT", "};", "",
        "#endif", "",
    ])  # fmt: skip


def _groups(text: str, source: str) -> tuple[list[Numbers], list[Numbers]]:
    """The innermost groups that have numbers; and the lines outside of all groups that have some."""
    done: list[Numbers] = []
    lines: list[Numbers] = [Numbers(1)]
    open_: list[Numbers] = []
    line, last, array = 1, None, None
    skipped = 0  # within the parentheses of a call or the braces of an enum
    closed: Numbers | None = None
    before = ""
    for token in TOKENS.finditer(text):
        kind, word = str(token.lastgroup), token.group()
        where = f"{source}: line {line}"
        if kind == "comment":
            said = noted(word.lstrip("/# ").removeprefix("*").removesuffix("*/"))
            target = closed if closed is not None else lines[-1] if lines[-1].numbers and not open_ else None
            if said and target is not None and target.note is None:
                target.note = said
        elif kind == "open":
            is_call = word == "(" and before == "word" and last not in ("bytes", "bytearray", "tuple", "list")
            if skipped or is_call or (word == "{" and last == "enum"):
                skipped += 1
            else:
                if open_:
                    open_[-1].inner += 1
                open_.append(Numbers(line, array))
        elif kind == "close":
            if skipped:
                skipped -= 1
            elif not open_:
                raise GlyphError(f"{where}: {word!r} closes nothing")
            else:
                closed = open_.pop()
                if closed.numbers and not closed.inner:
                    done.append(closed)
        elif kind in ("binary", "hex", "decimal") and not skipped:
            number = _number(kind, word, where)
            (open_[-1] if open_ else lines[-1]).numbers.append(number)
        elif kind == "word":
            last = word
        elif kind == "size" or kind == "equals":
            array = array if kind == "equals" and before == "size" else last if before == "word" else array
        elif kind == "other" and word == ";":
            array = None
        if kind != "comment":
            before = kind
        if "\n" in word:
            closed = None
            line += word.count("\n")
            if kind == "line":
                lines.append(Numbers(line))
    if open_:
        raise GlyphError(f"{source}: line {open_[-1].line}: the group that begins there does not end")
    return done, [one for one in lines if one.numbers]


def _number(kind: str, word: str, where: str) -> int:
    """A number as it is written; of five or eight digits 0 and 1 it is binary."""
    digits = word.rstrip("uUlL").replace("'", "")
    if kind == "binary":
        number = int(digits.lstrip("0").lstrip("bB") or "0", 2)
    elif kind == "hex":
        number = int(digits, 16)
    elif len(digits) in (5, 8) and not digits.strip("01"):
        number = int(digits, 2)
    elif len(digits) > 1 and digits[0] == "0" and int(digits[:9]) > 7:
        raise GlyphError(f"{where}: {digits} is octal in C and decimal elsewhere: write it without the leading 0")
    else:
        number = int(digits[:9])
    if number > FULL_ROW:
        raise GlyphError(f"{where}: {word} is more than {FULL_ROW}, which is all five dots of a row")
    return number


def _glyphs_of(group: Numbers, source: str) -> list[Parsed]:
    """The glyphs of a group: one, or several of eight rows in a row."""
    count = len(group.numbers)
    name, character = group.note or (group.name, None)
    if count in (ROWS, LARGE_ROWS):
        return [(name, Glyph(group.numbers), character)]
    if count % ROWS:
        whose = f" of {quoted(group.name)}" if group.name else ""
        raise GlyphError(f"{source}: the numbers{whose} from line {group.line} on are {count}, and a glyph has {ROWS}")
    return [(f"{name}_{at // ROWS + 1}" if name else None, Glyph(group.numbers[at : at + ROWS]), None)
            for at in range(0, count, ROWS)]  # fmt: skip
