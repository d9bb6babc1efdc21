"""The colours of panels, as pictures and terminals show them."""

from dataclasses import dataclass

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.twin.module import Twin

Colour = tuple[int, int, int]


@dataclass(frozen=True)
class Scheme:
    """The colours of one kind of panel: glass and dots, with the backlight on and off."""

    glass: Colour
    lit: Colour
    unlit: Colour
    dark_glass: Colour
    dark_lit: Colour
    dark_unlit: Colour


SCHEMES = {
    "meadow": Scheme((176, 204, 58), (38, 52, 22), (168, 195, 54), (104, 116, 72), (48, 56, 38), (100, 111, 69)),
    "dusk": Scheme((34, 66, 178), (232, 240, 255), (44, 76, 188), (16, 24, 52), (52, 62, 96), (19, 28, 57)),
    "ember": Scheme((34, 16, 6), (255, 166, 48), (48, 24, 9), (16, 10, 8), (58, 40, 24), (20, 13, 10)),
}
"""meadow: dark dots on yellow-green; dusk: white dots on blue; ember: amber dots on near black."""


def scheme_named(name: str) -> Scheme:
    """The colour scheme of that name. Raises SettingError, which lists the names there are."""
    if name not in SCHEMES:
        raise SettingError(f"there is no colour scheme {quoted(name)}: schemes are {', '.join(SCHEMES)}")
    return SCHEMES[name]


def colours(twin: Twin, scheme: str) -> tuple[Colour, Colour, Colour]:
    """The colours of glass, dark dots and clear dots, as backlight and contrast make them."""
    named = scheme_named(scheme)
    glass, lit, unlit = (
        _tinted(dark, bright, twin.glow) if "red" in twin.lamps else mixed(dark, bright, max(twin.glow))
        for dark, bright in (
            (named.dark_glass, named.glass),
            (named.dark_lit, named.lit),
            (named.dark_unlit, named.unlit),
        )
    )
    return glass, mixed(unlit, lit, min(1, 2 * twin.contrast)), mixed(unlit, lit, max(0, 2 * twin.contrast - 1))


def _tinted(dark: Colour, bright: Colour, glow: tuple[float, float, float]) -> Colour:
    """A colour that is as bright as `bright`, in the light of lamps of several colours; at least as in the dark."""
    red, green, blue = (max(low, round(share * max(bright))) for low, share in zip(dark, glow, strict=True))
    return red, green, blue


def mixed(one: Colour, other: Colour, share: float) -> Colour:
    """A colour on the way from one to the other."""
    red, green, blue = (round(a + (b - a) * share) for a, b in zip(one, other, strict=True))
    return red, green, blue
