"""The characters of ROM A00 by code: see `lumek.roms.a00`."""

RUNS = {
    0x20: " !\"#$%&'()*+,-./0123456789:;<=>?",
    0x40: "@ABCDEFGHIJKLMNOPQRSTUVWXYZ[¥]^_",
    0x60: "`abcdefghijklmnopqrstuvwxyz{|}→←",
    0xA1: "｡｢｣､･ｦｧｨｩｪｫｬｭｮｯｰｱｲｳｴｵｶｷｸｹｺｻｼｽｾｿ",
    0xC0: "ﾀﾁﾂﾃﾄﾅﾆﾇﾈﾉﾊﾋﾌﾍﾎﾏﾐﾑﾒﾓﾔﾕﾖﾗﾘﾙﾚﾛﾜﾝﾞ°",
    0xE0: ("α", "ä", "β", "ε", "μ", "σ", "ρ", "g", "√", "⁻¹", "j", "ˣ", "¢", "£", "ñ", "ö"),
    0xF0: ("p", "q", "θ", "∞", "Ω", "ü", "Σ", "π", "x̄", "y", "千", "万", "円", "÷", " ", "█"),
}

# Full-width katakana and marks look the same in one cell; the semi-voiced mark serves as degree sign.
TWINS = {
    0xA1: "。「」、・ヲァィゥェォャュョッーアイウエオカキクケコサシスセソ",
    0xC0: "タチツテトナニヌネノハヒフヘホマミムメモヤユヨラリルレロワン゛゜",
    0xDF: "ﾟ",
    0xA5: "·",
}
