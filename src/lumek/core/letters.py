"""Characters near each other: what may stand for a character that a ROM lacks.

Three sources: characters that are drawn the same, Unicode's decompositions (a letter without its marks; the
table is made by tools/make_decompositions.py), and look-alikes chosen by us.
"""

# Each word is a character and what may stand for it, the best first. As dictionaries they take ten times the heap.
_SAME_SHAPE = """
    АA ВB ЕE ЅS ІI ЈJ КK МM НH ОO РP СC ТT ХX аa еe іi јj оo рp сc уy хx ѕs ѵv
    ΑA ΒB ΕE ΖZ ΗH ΙI ΚK ΜM ΝN ΟO ΡP ΤT ΥY ΧX οo
    ЁË ёë ЇÏ їï ЀÈ ѐè ΪÏ ΫŸ ϊï
    µμ μµ \u2126Ω ∑Σ Σ∑ ∏Π Π∏ −- ‐- ‑- •･ ∙･ ⋅･ ∶: ❤♥ ►▶ ◄◀
"""

_LOOK_ALIKES = r"""
    ÆA æa ØO øo ÐD ðd ÞP þp ĐD đd ĦH ħh ıi ĸk ŁL łl ŊN ŋn ŒO œo ŦT ŧt ẞßB ßβs ƒf ȷj
    ‘' ’' ‚, ‛' ′' ´' ʹ' ʻ' ʼ' “" ”" „" ‟" ″" ¨" «< »> ‹< ›> ⟨< ⟩> 〈< 〉>
    –- —- ―- ¯- ¬- ~- ∼~- \/ ⁄/ ∕/ ¦| │| ‖| ‗_ ¸, …. ·. ･. ●･o ○o ◦o ∅0 ∞8
    ×x ✕x ✗x ✓v ✔v √v ±+ ÷/ ≈~= ≠= ≡= ≤< ≥> →> ←< ↑^ ↓v ⇒→> ⇐←< ⇑↑^ ⇓↓v ➔→> ↔- ↕|
    ¡! ¿? §S ©C ®R €E £L ¢c ¥Y ₧P ₽P ₹R ₿B №N ‰% ▲^ ▼v △▲^ ▽▼v ■█# □# ★* ☆* ♡♥v ♫♬ ♩♪
    αa βßB γy δd εe ζz ηn θ0 ιi κk λl μu νv ξx πn ρp σo ςs τt υu φf χx ψy ωw
    ΓG ΔD ΘO ΛA ΞE ΠP ΣE ΦO ΨY ΩO ∆D
    БB ГΓG ДD ЖX З3 ИU ЛΛL ПΠP УY ФΦF ЦC Ч4 ШW ЩШW ЪЬb ЫЬb Ьb ЭE ЮYU ЯYA ЄE ҐГG ЉЛL ЊH
    бБ6 вBv гГr дДg жЖx зЗ3 иИu йЙu кk лЛn мMm нHn пПn тTt фΦφf цЦu чЧ4 шШw щЩw ъЪb ыЫb ьb эЭe юЮu яЯa
    єe ґгr љлn њh
    ーｰ- 〜~- 「｢ 」｣ 。｡ 、｡
"""


def same_shape(character: str) -> str:
    """The character that is drawn alike in 5x8 dots, which is no loss to the reader; empty when there is none."""
    return _entry(_SAME_SHAPE, character)


def nearest_letters(character: str) -> list[str]:
    """What may stand for a character, the nearest first; empty when nothing is near."""
    near = [character]
    for letter in near:  # grows while it is walked, so a stand-in's own stand-ins come after it
        for other in same_shape(letter) + _decomposed(letter) + _entry(_LOOK_ALIKES, letter):
            if other not in near:
                near.append(other)
    return near[1:]


def _entry(table: str, character: str) -> str:
    at = table.find(" " + character)
    return table[at + 2 :].split(None, 1)[0] if at >= 0 and not character.isspace() else ""


def _decomposed(character: str) -> str:
    """The one letter that Unicode's compatibility decomposition leaves without its marks, or nothing."""
    from lumek.core.decompositions import RUNS  # large, and not needed by most programs

    code = ord(character[0])
    if 0x3041 <= code <= 0x3096:  # hiragana to katakana
        return chr(code + 0x60)
    for first, letters in RUNS:
        if first <= code < first + len(letters):
            return letters[code - first].strip("\0")
    return ""
