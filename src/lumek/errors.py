"""Every error that Lumek raises on purpose.

Each is a `LumekError` and also the built-in that a Python programmer would expect, so both kinds of
`except` catch it. MicroPython gives a class one built-in ancestor only; there each is a `LumekError` alone.
"""

import sys

from lumek._harmless import harmless

TYPE_CHECKING = False

if TYPE_CHECKING or sys.implementation.name != "micropython":
    import builtins as also
else:

    class _Nothing:
        pass

    class also:  # noqa: D101, N801
        AttributeError = ImportError = IndexError = KeyError = LookupError = OSError = RuntimeError = TypeError = (
            UserWarning
        ) = ValueError = _Nothing


class LumekError(Exception):
    """Any error of Lumek's own. Its text is one line, without control characters and of bounded length."""

    def __str__(self) -> str:
        return harmless(str(self.args[0])) if self.args else ""


class PlaceError(LumekError, also.IndexError):
    """A row, column or block that the panel does not have."""


class SizeError(LumekError, also.ValueError):
    """A panel size that does not exist."""


class TextError(LumekError, also.TypeError):
    """Something other than text was assigned to cells."""


class CharacterError(LumekError, also.ValueError):
    """A character that no cell can show: a control character."""


class GlyphError(LumekError, also.ValueError):
    """A drawing that is not 8 rows of 5 dots, or a set of glyphs, its file or a picture that is not possible."""


class NoGlyphError(LumekError, also.LookupError):
    """A character that has no drawing."""


class SettingError(LumekError, also.ValueError):
    """A setting (cursor shape, oscillator, ROM, ...) outside what is possible."""


class UnknownSettingError(LumekError, also.AttributeError):
    """Something was set that does not exist: `panel.backlite`."""


class HookupError(LumekError, also.ValueError):
    """A description of wiring that is not possible: a role, line or address."""


class FaceError(LumekError, also.ValueError):
    """A face, a deck or their file that is not possible: a place, a probe, an expression, too few slots."""


class CheckError(HookupError):
    """A check of a hookup says that it cannot be driven."""


class HookupWarning(also.UserWarning):
    """A check of a hookup says no, and the panel is driven all the same."""


class PortError(LumekError, also.OSError):
    """The host's hardware (GPIO lines, SPI, PWM, a bus) is not there, may not be used, or failed."""


class BusError(PortError):
    """The bus is not there, may not be used, or a transfer failed."""


class NoAnswerError(BusError):
    """No device acknowledged at an address, or a panel's busy flag never clears."""


class ClosedError(LumekError, also.RuntimeError):
    """The panel or port was used after `close`."""


class PackageError(LumekError, also.ImportError):
    """A package that an extra of Lumek brings is not installed."""


class ProbeError(LumekError, also.KeyError):
    """A name that no probe has."""


class CaptureError(LumekError, also.ValueError):
    """A capture that cannot be read, or in which what is asked for is not found."""


class GarbledError(LumekError, also.ValueError):
    """What a sensor or the network sent makes no sense; a probe's `take` raises it, and the reading is invalid."""
