"""Wrong wiring shows what a real panel shows."""

import runpy
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from lumek.views.picture import picture

ROOT = Path(__file__).parents[2]
FAULTS = runpy.run_path(str(ROOT / "tools/make_fault_pictures.py"))["FAULTS"]
RIGHT = ["Hive 3     14:20", "41.4 kg   34.8°C"]
BLANK = [" " * 16] * 2

# What is seen: text, the share of dark dots where that says more, whether it is lit, and what the twin complains of.
SEEN = {
    "right": (RIGHT, None, True, set()),
    "never-started": (BLANK, 0.5, True, set()),
    "enable-missing": (BLANK, 0.5, True, {"floating"}),
    "rw-open": (BLANK, 0.5, True, {"contention", "floating", "busy", "read"}),
    "data-swapped": (["HYvU 3     14:20", "41\ufffd4 [W   34\ufffd8öC"], None, True, set()),
    "data-swapped-of-four": (["\ufffd･ｺｩ" + " " * 12, " " * 16], None, True, set()),
    "data-missing": (["Jkvg   3   36:22", "  63.6 kg 36.:°C"], None, True, {"floating"}),
    "data-missing-of-four": (BLANK, 0, True, {"floating", "address"}),
    "polarity-wrong": (RIGHT, None, False, set()),
    "map-nothing": (BLANK, 0.5, False, {"hold time", "address set-up", "address hold", "contention"}),
    "map-garbage": (["___/Oö_\ufffdｿ█/_    ", " " * 16], None, True, {"address"}),
    "out-of-step": (["Hive 3     14:20", "\ufffd?O?ｯ?/?\ufffd" + " " * 7], None, True, {"nibble phase", "address"}),
    "size-wrong": (["Hive 3".ljust(16), "Terrace, east   ", "    Weight  41.4", "    Brood   34.8"], None, True, set()),
    "contrast-low": (RIGHT, 0, True, set()),
    "contrast-high": (RIGHT, 1, True, set()),
}  # fmt: skip


@pytest.mark.parametrize("name", FAULTS)
def test_a_fault_shows_as_on_a_real_panel(name: str) -> None:
    twin = FAULTS[name][1]()
    rows, dark, lit, rules = SEEN[name]
    assert (twin.rows, twin.backlight, {violation.rule for violation in twin.violations}) == (rows, lit, rules)
    dots = twin.dots()
    assert dark is None or dots.mean() == dark
    if dark == 0.5:
        assert dots[0].all()  # the upper row of blocks
    assert name in (ROOT / "docs/faults.md").read_text(encoding="utf-8")
    drawn = np.array(Image.open(ROOT / "docs/faults" / f"{name}.png"))
    assert np.array_equal(drawn, np.array(picture(twin)))
