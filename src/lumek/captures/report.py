"""A decoding as data, for programs."""

from typing import TYPE_CHECKING, Any

from lumek.captures.seen_panel import SeenPanel

if TYPE_CHECKING:
    from lumek.captures import Decoding


def as_data(decoding: "Decoding") -> dict[str, Any]:
    """What a capture says, of lists, dicts, texts and numbers; times in nanoseconds."""
    return {
        "panels": [_panel(panel) for panel in decoding.panels],
        "events": [
            {
                "time_ns": event.time_ns, "began_ns": event.began_ns, "panel": event.panel,
                "controller": event.controller, "kind": event.kind, "code": event.code, "words": event.words,
                "needs_ns": event.needs_ns, "wait_ns": event.wait_ns, "sure": event.sure,
                "violations": [
                    {"rule": one.rule, "detail": one.detail, "got_ns": one.got_ns, "asked_ns": one.asked_ns}
                    for one in event.violations
                ],
            }
            for event in decoding.events
        ],
        "more": decoding.more,
        "broken": decoding.broken,
        "notes": decoding.notes,
    }  # fmt: skip


def _panel(panel: SeenPanel) -> dict[str, Any]:
    wiring, twin = panel.wiring, panel.view(panel.seen_ns)
    found = wiring.found
    return {
        "name": panel.name, "size": panel.size, "size_guessed": panel.size_guessed, "kind": wiring.kind,
        "address": wiring.address, "expander": wiring.expander, "lines": dict(wiring.lines),
        "backlight_on": wiring.backlight_on, "width": wiring.width, "map": wiring.known_as,
        "found": None if found is None else {
            "certain": found.certain, "share": round(found.share, 3), "lead": round(found.lead, 3),
            "unsure": list(found.unsure),
        },
        "rows": panel.rows, "codes": twin.cells, "known": panel.known(), "cursor": twin.cursor,
        "backlight": twin.backlight, "sure": panel.sure,
    }  # fmt: skip
