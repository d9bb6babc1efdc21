"""Write src/lumek/core/tables/compositions.py, for a Python without Unicode tables, from the tables of this one.

Run it in a checkout: python tools/make_composing.py
"""

import unicodedata
from pathlib import Path

OUT = Path(__file__).parent.parent / "src/lumek/core/tables/compositions.py"
SCRIPTS = "LATIN", "GREEK", "CYRILLIC", "KATAKANA", "HIRAGANA"

pairs: dict[str, tuple[str, str]] = {}
for code in range(0x80, 0x3100):
    character = chr(code)
    parts = unicodedata.normalize("NFD", character)
    if len(parts) < 2 or unicodedata.normalize("NFC", parts) != character:
        continue
    if unicodedata.name(character).startswith(SCRIPTS):
        first, mark = unicodedata.normalize("NFC", parts[:-1]), parts[-1]
        assert len(first) == 1, character
        letters, made = pairs.get(mark, ("", ""))
        pairs[mark] = letters + first, made + character

lines = "".join(
    f'    "\\u{ord(mark):04x}": ("{letters}", "{made}"),\n' for mark, (letters, made) in sorted(pairs.items())
)
OUT.write_text(
    f'''"""Which letter a letter and a combining mark make, from Unicode {unicodedata.unidata_version}.

Made by tools/make_composing.py; do not edit.
"""

# mark: (letters, what each makes with the mark)
PAIRS = {{
{lines}}}
''',
    encoding="utf-8",
)
