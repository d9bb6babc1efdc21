"""Write src/lumek/data/hive_day.csv: a made-up summer day of a made-up hive, every ten minutes.

Run it in a checkout: python tools/make_hive_day.py
"""

import csv
import random
from math import exp, pi, sin
from pathlib import Path

OUT = Path(__file__).parent.parent / "src/lumek/data/hive_day.csv"
COLUMNS = "time", "weight_kg", "brood_c", "foragers_per_min", "hum_hz", "battery_v", "battery_percent", "honey_kg"

chance = random.Random(3)
nectar = away = 0.0
battery = 71.0
rows = []
for minute in range(0, 24 * 60, 10):
    hour = minute / 60
    flying = max(0.0, sin(pi * (hour - 6.5) / 13.5)) ** 1.4 if 6.5 < hour < 20 else 0.0
    shower = 1 - 0.85 * exp(-(((hour - 15.2) / 0.45) ** 2))
    foragers = 128 * flying * shower * chance.uniform(0.9, 1.1)
    nectar += foragers / 128 * 0.041
    ripened = 0.006 if hour < 7 or hour > 20 else 0.001
    nectar -= ripened
    away = 0.42 * flying * shower
    battery = min(100.0, battery + 1.35 * max(0.0, sin(pi * (hour - 6) / 14)) * shower - 0.24)
    rows.append(
        (
            f"{minute // 60:02}:{minute % 60:02}",
            f"{40.55 + nectar - away + chance.gauss(0, 0.008):.2f}",
            f"{34.6 + 0.5 * sin(pi * (hour - 9) / 12) + chance.gauss(0, 0.06):.1f}",
            round(foragers),
            round(214 + 36 * flying + 8 * (1 - shower) * 4 + chance.gauss(0, 2)),
            f"{3.45 + 0.0068 * battery + chance.gauss(0, 0.004):.2f}",
            round(battery),
            f"{nectar:+.2f}",
        )
    )
with OUT.open("w", newline="", encoding="utf-8") as file:
    writer = csv.writer(file, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows(rows)
