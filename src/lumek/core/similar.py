"""Characters near each other: what may be shown for a character that a ROM lacks.

Sources: characters that are drawn the same; Unicode's decompositions (a letter without its marks; the table is made by
tools/make_decompositions.py) and decimal digits; look-alikes chosen by us, and for Georgian and Armenian letters those
of the usual transliteration. A sign is never replaced by one of another meaning, nor a letter by a digit: the "?" of
`rom` is better than a lie.
"""

# Each word is a character and what may replace it, the best first. As dictionaries they take ten times the heap.
_SAME_SHAPE = """
    АA ВB ЕE ЅS ІI ЈJ КK МM НH ОO РP СC ТT ХX аa еe іi јj оo рp сc уy хx ѕs ѵv
    ΑA ΒB ΕE ΖZ ΗH ΙI ΚK ΜM ΝN ΟO ΡP ΤT ΥY ΧX οo
    ЁË ёë ЇÏ їï ЀÈ ѐè ΪÏ ΫŸ ϊï
    µμ μµ \u2126Ω ∑Σ Σ∑ ∏Π Π∏ −- ‐- ‑- •･ ∙･ ⋅･ ∶: ❤♥ ►▶ ◄◀
"""

_LOOK_ALIKES = r"""
    ÆA æa ØO øo ÐD ðd ÞP þp ĐD đd ĦH ħh ıi ĸk ŁL łl ŊN ŋn ŒO œo ŦT ŧt ẞßB ßβs ƒf ȷj
    ‘' ’' ‚, ‛' ′' ´' ʹ' ʻ' ʼ' “" ”" „" ‟" ″" ¨" «< »> ‹< ›> ⟨< ⟩> 〈< 〉>
    –- —- ―- ∼~ \/ ⁄/ ∕/ ¦| │| ‖| ‗_ ¸, …. ●･o ○o ◦o ∅ØO
    ×x ✕x ✗x ✓v ✔v ÷/ ≈~ →> ←< ↑^ ↓v ⇒→> ⇐←< ⇑↑^ ⇓↓v ➔→> ↕|
    ¡! ¿? §S ©C ®R €E £L ¢c ¥Y ₧P ₽P ₹R ₿B №N ▲^ ▼v △▲^ ▽▼v ■█# □# ★* ☆* ♡♥v ♫♬ ♩♪
    αa βßB γy δd εe ζz ηn θo ιi κk λl μu νv ξx πn ρp σo ςs τt υu φf χx ψy ωw
    ΓG ΔD ΘO ΛA ΞE ΠP ΣE ΦO ΨY ΩO ∆D
    БB ГΓG ДD ЖX ЗZ ИU ЛΛL ПΠP УY ФΦF ЦC ЧC ШW ЩШW ЪЬb ЫЬb Ьb ЭE ЮYU ЯYA ЄE ҐГG ЉЛL ЊH
    бБb вBv гГr дДg жЖx зЗz иИu йЙu кk лЛn мMm нHn пПn тTt фΦφf цЦu чЧc шШw щЩw ъЪb ыЫb ьb эЭe юЮu яЯa
    єe ґгr љлn њh
    ЂĐD ђđd ЋĆC ћćc ЏDЦ џdц ĲŸY ĳÿy ĿL ŀl ŉn ƏE əe
    ӘƏE әəe ӨÖO өöo ҮÜU үüu ҰÜU ұüu ҖЖ җж ҢН ңн ҺHh һh ҚК қк ҒГ ғг ҲХ ҳх ҶЧ ҷч ҪСC ҫсc ҘЗ ҙз ҠК ҡк ҤН ҥн ӍМ ӎм
    ーｰ- 〜~ 「｢ 」｣ 。｡ 、｡
    აa ბb გg დd ეe ვv ზz თt იi კk ლl მm ნn ოo პp ჟžj რr სs ტt უu ფp ქk ღg ყq შš ჩč ცc ძz წc ჭč ხx ჯj ჰh
    ԱA ԲB ԳG ԴD ԵE ԶZ ԷE ԸE ԹT ԺZ ԻI ԼL ԽX ԾC ԿK ՀH ՁJ ՂG ՃC ՄM ՅY ՆN ՇS ՈO ՉC ՊP ՋJ ՌR ՍS ՎV ՏT ՐR ՑC ՒW ՓP ՔK ՕO ՖF
    աa բb գg դd եe զz էe ըe թt ժz իi լl խx ծc կk հh ձj ղg ճc մm յy նn շs ոo չc պp ջj ռr սs վv տt րr ցc ւw փp քk օo ֆf
"""


def same_shape(character: str) -> str:
    """The character that looks the same in 5x8 dots, so that the reader loses nothing; empty when there is none."""
    return _entry(_SAME_SHAPE, character)


# The first of ten digits, of every script that has its own (Unicode, general category Nd).
_ZEROS = (
    "\u0660\u06f0\u07c0\u0966\u09e6\u0a66\u0ae6\u0b66\u0be6\u0c66\u0ce6\u0d66\u0de6\u0e50\u0ed0\u0f20\u1040\u1090"
    "\u17e0\u1810\u1946\u19d0\u1a80\u1a90\u1b50\u1bb0\u1c40\u1c50\ua620\ua8d0\ua900\ua9d0\ua9f0\uaa50\uabf0"
)


def _digit(character: str) -> str:
    """The digit 0 to 9 that a decimal digit of another script is; empty for anything else."""
    for zero in _ZEROS:
        if zero <= character < chr(ord(zero) + 10):
            return str(ord(character) - ord(zero))
    return ""


def nearest_letters(character: str) -> list[str]:
    """What may be shown for a character, the nearest first; empty when nothing is near."""
    near = [character]
    for letter in near:  # grows while it is walked, so a stand-in's own stand-ins come after it
        for other in same_shape(letter) + _decomposed(letter) + _entry(_LOOK_ALIKES, letter) + _digit(letter):
            if other not in near:
                near.append(other)
    return near[1:]


def _entry(table: str, character: str) -> str:
    at = table.find(" " + character)
    return table[at + 2 :].split(None, 1)[0] if at >= 0 and not character.isspace() else ""


def _decomposed(character: str) -> str:
    """The one letter that Unicode's compatibility decomposition leaves without its marks, or nothing."""
    from lumek.core.tables.decompositions import RUNS  # large, and not needed by most programs

    code = ord(character[0])
    if 0x3041 <= code <= 0x3096:  # hiragana to katakana
        return chr(code + 0x60)
    for first, letters in RUNS:
        if first <= code < first + len(letters):
            return letters[code - first].strip("\0")
    return ""
