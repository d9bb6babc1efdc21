"""The European character ROM, A02.

Source: HD44780U data sheet, "Correspondence between character codes and character patterns (ROM
code: A02)": Latin-1 but for 0xD8, and those Cyrillic capitals that have no Latin twin.
"""

from lumek.roms.rom import Rom


def _dots() -> bytes:
    from lumek.roms.a02_dots import DOTS  # needed only by programs that draw

    return DOTS


A02 = Rom(
    "A02",
    {
        0x10: "▶◀“”⏫⏬●↵↑↓→←≤≥▲▼",
        0x20: " !\"#$%&'()*+,-./0123456789:;<=>?",
        0x40: "@ABCDEFGHIJKLMNOPQRSTUVWXYZ[\\]^_",
        0x60: "`abcdefghijklmnopqrstuvwxyz{|}~⌂",
        0x80: "БДЖЗИЙЛПУЦЧШЩЪЫЭ",
        0x90: "α♪ΓπΣσ♬τ🔔ΘΩδ∞♥ε∩",
        0xA0: "‖¡¢£¤¥¦§ƒ©ª«ЮЯ®‘",
        0xB0: "°±²³₧µ¶·ω¹º»¼½¾¿",
        0xC0: "ÀÁÂÃÄÅÆÇÈÉÊËÌÍÎÏÐÑÒÓÔÕÖ×ΦÙÚÛÜÝÞß",
        0xE0: "àáâãäåæçèéêëìíîïðñòóôõö÷øùúûüýþÿ",
    },
    dots=_dots,
)
