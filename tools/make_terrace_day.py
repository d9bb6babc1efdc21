"""Writes src/lumek/data/apiary/terrace_day.csv: the day of hive_day.csv with things that happen, for the demo.

Made up: a thermometer that fails, an hour in which the counter cannot follow, a hot afternoon, and words for each.
"""

import csv
import math
from pathlib import Path

DATA = Path(__file__).parents[1] / "src/lumek/data"
NAMES = ("time", "weight_kg", "brood_c", "bees_per_min", "hum_hz", "battery_v", "battery_percent", "honey_kg", "note")
FAILS, CANNOT_FOLLOW, WARM = (10.6, 12.6), (13.0, 14.1), (15.0, 17.0)
NOTES = {
    "00:00": "Night on the terrace: two panels, eight probes, one file.",
    "01:40": "The overview: weight with a bar, brood nest, hum; labels are written once.",
    "04:40": "Tall digits: the weight of hive 3, read from across the yard.",
    "07:40": "The bees fly out: a graph of the traffic, with its limits.",
    "10:40": "The thermometer in the brood nest fails: its fields say so, all others go on.",
    "12:40": "It answers again.",
    "13:00": "More bees than the counter can count: the bar gives way to a word, the number stays.",
    "14:10": "The counter keeps up again.",
    "15:00": "The brood nest is too warm: the alarm page takes the place of all others.",
    "17:00": "The bees have fetched water: the pages take turns again.",
    "20:10": "Dusk: the gate has nothing to count, and shows the battery.",
    "23:00": "The day is over: what came in is on the scale.",
}


def brood_of(celsius: float, hour: float) -> float:
    """The temperature of the brood nest on a day that is hotter in the afternoon."""
    if WARM[0] <= hour < WARM[1]:
        return 37.05 + 1.6 * math.sin(math.pi * (hour - WARM[0] + 0.2) / 2.4)
    if WARM[0] - 1 <= hour < WARM[0]:
        return celsius + (hour - WARM[0] + 1) * 1.6
    if WARM[1] <= hour < WARM[1] + 1:
        return celsius + (WARM[1] + 1 - hour) * 1.4
    return celsius


def main() -> None:
    """Write it."""
    with (DATA / "hive_day.csv").open(encoding="utf-8") as file:
        day = list(csv.DictReader(file))
    with (DATA / "apiary/terrace_day.csv").open("w", encoding="utf-8", newline="") as file:
        out = csv.writer(file, lineterminator="\n")
        out.writerow(NAMES)
        for row in day:
            hour = int(row["time"][:2]) + int(row["time"][3:]) / 60
            bees = int(row["foragers_per_min"])
            if CANNOT_FOLLOW[0] <= hour < CANNOT_FOLLOW[1]:
                bees = 165 + int(14 * math.sin(math.pi * (hour - CANNOT_FOLLOW[0]) / 1.2))
            brood = "" if FAILS[0] <= hour < FAILS[1] else f"{brood_of(float(row['brood_c']), hour):.1f}"
            note = [words for time, words in NOTES.items() if time <= row["time"]][-1]
            out.writerow([row["time"], row["weight_kg"], brood, bees, row["hum_hz"], row["battery_v"],
                          row["battery_percent"], row["honey_kg"].lstrip("+"), note])  # fmt: skip


if __name__ == "__main__":
    main()
