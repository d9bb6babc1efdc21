"""Write the package that MicroPython's own installer, mip, takes: python tools/make_package.py FOLDER.

The folder goes where a release is served from; on a board, `mip.install("https://.../package.json")` then brings Lumek.
It has all of the portable part, and so is larger than what `lumek firmware` writes for one hookup.
"""

import json
import sys
from pathlib import Path

import lumek
from lumek.firmware.folder import ALWAYS, EXTRAS, Library
from lumek.firmware.mpy import NEWEST

LINKS = {
    "Panel": "panel:Panel", "Backpack": "links.backpack:Backpack", "Direct": "links.direct:Direct",
    "ShiftRegister": "links.shift_register:ShiftRegister", "BoardBus": "ports.board:BoardBus",
    "BoardLines": "ports.board:BoardLines", "BoardSpi": "ports.board:BoardSpi",
}  # fmt: skip


def write(folder: Path) -> None:
    """Write the package."""
    wanted = list(dict.fromkeys([*ALWAYS, "board", *(module for modules in EXTRAS.values() for module in modules)]))
    files = Library("micropython", LINKS, wanted, mpy=NEWEST).files
    for path, content in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(content)
    about = {"version": lumek.__version__, "deps": [], "urls": [[path, path] for path in sorted(files)]}
    (folder / "package.json").write_text(json.dumps(about, indent=1) + "\n")


if __name__ == "__main__":
    write(Path(sys.argv[1]))
