"""The Japanese character ROM, A00.

Source: HD44780U data sheet, "Correspondence between character codes and character patterns (ROM
code: A00)"; katakana in the order of JIS X 0201. Codes 0xE0-0xFF are drawings of ten rows: on a 5x8 panel
their descenders are cut, so g, j, p, q and y are written with the codes of ASCII.
"""

from lumek.roms.rom import Rom


def _dots() -> bytes:
    from lumek.roms.a00_dots import DOTS  # needed only by programs that draw

    return DOTS


A00 = Rom(
    "A00",
    {
        0x20: " !\"#$%&'()*+,-./0123456789:;<=>?",
        0x40: "@ABCDEFGHIJKLMNOPQRSTUVWXYZ[¥]^_",
        0x60: "`abcdefghijklmnopqrstuvwxyz{|}→←",
        0xA1: "｡｢｣､･ｦｧｨｩｪｫｬｭｮｯｰｱｲｳｴｵｶｷｸｹｺｻｼｽｾｿ",
        0xC0: "ﾀﾁﾂﾃﾄﾅﾆﾇﾈﾉﾊﾋﾌﾍﾎﾏﾐﾑﾒﾓﾔﾕﾖﾗﾘﾙﾚﾛﾜﾝﾞ°",
        0xE0: ("α", "ä", "β", "ε", "μ", "σ", "ρ", "g", "√", "⁻¹", "j", "ˣ", "¢", "£", "ñ", "ö"),
        0xF0: ("p", "q", "θ", "∞", "Ω", "ü", "Σ", "π", "x̄", "y", "千", "万", "円", "÷", " ", "█"),
    },
    # Full-width katakana and marks look the same in one cell; the semi-voiced mark serves as degree sign.
    {
        0xA1: "。「」、・ヲァィゥェォャュョッーアイウエオカキクケコサシスセソ",
        0xC0: "タチツテトナニヌネノハヒフヘホマミムメモヤユヨラリルレロワン゛゜",
        0xDF: "ﾟ",
        0xA5: "·",
    },
    _dots,
)
