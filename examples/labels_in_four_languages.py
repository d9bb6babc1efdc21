"""The label of a hive in four languages, on a panel whose ROM is Japanese.

python examples/labels_in_four_languages.py shows each for a moment, in the terminal. What ROM A00 lacks is drawn; up to
a panel shows at most eight drawings at once, and an error says what a ninth would need.
"""

from apiary import reading_at, run, show

import lumek

LABELS = {
    "de": ("Gewicht", "Brut", "Süß und flüssig"),
    "pl": ("Ciężar", "Czerw", "Łąka i źródło"),
    "el": ("Κιλά", "Αυγά", "Μέλι"),
    "uk": ("Вага", "Розплід", "Мед"),
}
"""Language: the words for weight and brood, and a line of its own."""


def main() -> None:
    """Write one label after the other; the numbers stay where they are."""
    reading = reading_at("14:00")
    with lumek.simulate("20x4") as panel:
        for language, (weight, brood, line) in LABELS.items():
            with panel.together():
                panel[0] = lumek.Text(f"🐝 {language}", align="centre")
                panel[1] = weight
                panel[1, -8:] = lumek.number(float(reading["weight_kg"]), 8, 1, unit=" kg", point=",")
                panel[2] = brood
                panel[2, -8:] = lumek.number(float(reading["brood_c"]), 8, 1, unit=" °C", point=",")
                panel[3] = line
            show(panel.twin, written=panel.rows)
            for (row, column), (written, shown) in panel.compromises.items():
                print(f"row {row}, column {column}: {shown!r} is shown for {written!r}")


if __name__ == "__main__":
    run(main)
