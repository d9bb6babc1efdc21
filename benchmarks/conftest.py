"""Prints the table of links.py when all has been measured."""

from typing import Any

UNITS = {"sent": "bytes", "calls": "calls"}


def pytest_terminal_summary(terminalreporter: Any, config: Any) -> None:
    """The table, in Markdown."""
    measured: dict[tuple[str, str], dict[str, Any]] = {}
    for one in config._benchmarksession.benchmarks:
        info = one.extra_info
        measured.setdefault((info["work"], info["name"]), {})[info["way"]] = one
    if not measured:
        return
    write = terminalreporter.write_line
    write("")
    write("| what | link | sent: Lumek / limit / plain | wire ms: Lumek / limit / plain | of the limit | plain is "
          "| Python us: Lumek / plain |")  # fmt: skip
    write("|---|---|---|---|---|---|---|")
    complete = [(key, ways) for key, ways in measured.items() if len(ways) == 2]
    for (work, name), ways in sorted(complete, key=lambda item: item[0][0]):
        ours, plain = ways["Lumek"].extra_info, ways["plain"].extra_info
        us = [round(ways[way].stats.median / 2 * 1e6) for way in ("Lumek", "plain")]
        write(
            f"| {work} | {name} | {ours['units']} / {ours['limit_units']} / {plain['units']} {UNITS[ours['unit']]} "
            f"| {ours['ms']:.2f} / {ours['limit_ms']:.2f} / {plain['ms']:.2f} | {ours['ms'] / ours['limit_ms']:.2f} x "
            f"| {plain['ms'] / ours['ms']:.1f} x slower | {us[0]} / {us[1]} |"
        )
