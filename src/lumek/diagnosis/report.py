"""A report that can be pasted into a forum: versions, host, hookup and rungs; no secrets, and no text of others raw."""

import platform
import sys
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any

import lumek
from lumek._harmless import harmless
from lumek.diagnosis.rung import Rung
from lumek.hookup.file import Hookup

PACKAGES = ("smbus2", "gpiod", "pyserial", "pyftdi", "spidev")

MODEL = Path("/proc/device-tree/model")


def versions() -> dict[str, str]:
    """What runs here."""
    found = {"lumek": lumek.__version__, "python": f"{sys.implementation.name} {platform.python_version()}",
             "system": f"{platform.system()} {platform.release()} {platform.machine()}"}  # fmt: skip
    with suppress(OSError):
        found["host"] = MODEL.read_text(encoding="utf-8", errors="replace").strip("\0 \n")[:80]
    for package in PACKAGES:
        with suppress(PackageNotFoundError):
            found[package] = version(package)
    return found


def hookup_tables(hookup: Hookup | None, name: str) -> dict[str, Any]:
    """What a hookup says of a panel; none of the other tables of its file, which may have secrets."""
    if hookup is None:
        return {}
    host = {} if hookup.host is None else {"host": hookup.host.model_dump(exclude_unset=True)}
    return {"panel": hookup.panels[name].model_dump(exclude_unset=True), **host}


def as_data(rungs: Sequence[Rung], hookup: Hookup | None, name: str, simulated: bool) -> dict[str, Any]:
    """All of it, for a program."""
    return {
        "versions": versions(), "simulated": simulated, "hookup": hookup_tables(hookup, name),
        "rungs": [asdict(rung) for rung in rungs],
    }  # fmt: skip


def as_text(rungs: Sequence[Rung], hookup: Hookup | None, name: str, simulated: bool) -> str:
    """All of it, as Markdown."""
    lines = ["# lumek check", ""]
    lines += [f"- {what}: {value}" for what, value in versions().items()]
    lines += [f"- panel: {'simulated' if simulated else 'real'}", "", "## Hookup", "", "```"]
    for table, content in hookup_tables(hookup, name).items():
        lines += [f"{table}.{key} = {value!r}" for key, value in content.items()]
    lines += ["```", "", "## Rungs", ""]
    for rung in rungs:
        lines.append(f"- **{rung.name}**, {rung.verdict}: {rung.seen}")
        lines += [f"  - {what}: {text}" for what, text in (("means", rung.means), ("do", rung.do)) if text]
        lines += [f"  - {key} = {value:g}" for key, value in rung.numbers.items()]
    return "\n".join(harmless(line, 2000) for line in lines) + "\n"
