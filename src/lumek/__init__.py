"""Lumek: character LCD panels as arrays of cells.

`Panel` with a link (`Backpack`, `Direct` or `ShiftRegister`) drives a real panel, `attach` one that a hookup file
describes, and `simulate` makes a simulated one.
Importing `lumek` loads only what also runs on MicroPython; everything else loads when it is used.
"""

from lumek._harmless import quoted
from lumek.errors import (
    BusError,
    CaptureError,
    CharacterError,
    CheckError,
    ClosedError,
    FaceError,
    GarbledError,
    GlyphError,
    HookupError,
    HookupWarning,
    LumekError,
    NoAnswerError,
    NoGlyphError,
    PackageError,
    PlaceError,
    PortError,
    ProbeError,
    SettingError,
    SizeError,
    TextError,
    UnknownSettingError,
)

__version__ = "0.1.0"

TYPE_CHECKING = not __name__  # false; but not so plainly that completion in editors leaves out what follows
if TYPE_CHECKING:
    from typing import Any

    from lumek._simulate import simulate
    from lumek.core.glyph import Glyph
    from lumek.core.layout import Text
    from lumek.core.levels import level
    from lumek.core.numbers import number, numbers
    from lumek.hookup.attach import attach, attach_all
    from lumek.lights.lamps import LineLight
    from lumek.links.backpack import Backpack
    from lumek.links.direct import Direct
    from lumek.links.shift_register import ShiftRegister
    from lumek.panel import Panel
    from lumek.readings.reading import Reading

__all__ = [
    "Backpack",
    "BusError",
    "CaptureError",
    "CharacterError",
    "CheckError",
    "ClosedError",
    "Direct",
    "FaceError",
    "GarbledError",
    "Glyph",
    "GlyphError",
    "HookupError",
    "HookupWarning",
    "LineLight",
    "LumekError",
    "NoAnswerError",
    "NoGlyphError",
    "PackageError",
    "Panel",
    "PlaceError",
    "PortError",
    "ProbeError",
    "Reading",
    "SettingError",
    "ShiftRegister",
    "SizeError",
    "Text",
    "TextError",
    "UnknownSettingError",
    "__version__",
    "attach",
    "attach_all",
    "level",
    "number",
    "numbers",
    "simulate",
]


_LATER = {"Panel": "panel", "Glyph": "core.glyph", "Text": "core.layout",
         "Backpack": "links.backpack", "Direct": "links.direct", "ShiftRegister": "links.shift_register",
         "LineLight": "lights.lamps", "number": "core.numbers", "numbers": "core.numbers", "level": "core.levels",
         "attach": "hookup.attach", "attach_all": "hookup.attach", "Reading": "readings.reading",
         "simulate": "_simulate"}  # fmt: skip
"""Name: module. It is loaded when it is asked for: that saves time, and on a microcontroller memory."""

__dir__ = __all__.copy


if not TYPE_CHECKING:  # so that type checkers know which names there are

    def __getattr__(name: str) -> "Any":
        if name not in _LATER:
            raise AttributeError(f"module 'lumek' has no attribute {quoted(name)}")
        value = getattr(__import__("lumek." + _LATER[name], None, None, [name]), name)
        globals()[name] = value
        return value
