"""Mistakes of a face file that only show when its probes, faces and light are made."""

from contextlib import suppress
from typing import TYPE_CHECKING

from lumek._harmless import quoted
from lumek.config.tables import nearest
from lumek.errors import FaceError, PackageError
from lumek.expressions.evaluate import Expression
from lumek.faces.loop import zone_of
from lumek.faces.probe_tables import WHICH, stages_of
from lumek.readings.probes.kernel import kernel_probe

if TYPE_CHECKING:
    from lumek.faces.face_file import FaceFile


def refuse_mistakes(faces: "FaceFile") -> None:
    """Raise FaceError for what only shows when probes are made: names, formulas, filters and units."""
    for name, table in faces.probes.items():
        with faces.placing(f"[probes.{name}]"):
            if table.source is not None and table.source not in faces.sources:
                known = ", ".join(faces.sources) or "none"
                raise FaceError(
                    f"source = {quoted(table.source)} has no table [sources.{table.source}]: there are {known}"
                )
            kind = table.origin if table.source is None else faces.sources[table.source].kind
            allowed = WHICH.get(kind, ())
            for key in {key for keys in WHICH.values() for key in keys if getattr(table, key) is not None}:
                if key not in allowed:
                    raise FaceError(f"{key} is not for {kind}: possible are {', '.join(allowed) or 'none'}")
            if table.kernel is not None:
                kernel_probe(table.kernel)
            with suppress(PackageError):  # said by --check, and when the probe is made
                stages_of(table)
            if table.formula is not None:
                Expression(table.formula, [other for other in faces.probes if other != name])
    if faces.messages is not None and "input" in {one.kind for one in faces.messages.ways.values()}:
        for name, table in faces.sources.items():
            if table.kind == "input":
                raise FaceError(
                    f"{faces.path}: [sources.{name}] and [messages.from] both read standard input; only one can"
                )
    faces.in_order()
    with faces.placing("[deck]"):
        zone_of(faces.deck.zone)
    _check_light(faces)
    if faces.deck.caption and faces.deck.caption not in faces.probes:
        near = nearest(faces.deck.caption, faces.probes)
        raise FaceError(f"{faces.path}: [deck] caption = {quoted(faces.deck.caption)} is not a probe{near}")
    for name, face in faces.faces.items():
        if face.panel is not None and faces.hookup is not None and face.panel not in faces.hookup.panels:
            there = ", ".join(faces.hookup.panels)
            near = nearest(face.panel, faces.hookup.panels)
            raise FaceError(
                f"{faces.path}: [faces.{name}] panel = {quoted(face.panel)} does not exist{near}: there are {there}"
            )
        if face.panel is None and faces.hookup is not None and len(faces.hookup.panels) > 1:
            there = ", ".join(faces.hookup.panels)
            raise FaceError(f"{faces.path}: [faces.{name}] needs the key 'panel', one of several: {there}")


def _check_light(faces: "FaceFile") -> None:
    if faces.light is None:
        return
    with faces.placing("[light]"):
        for panel in faces.panels:
            faces.light.of(panel).bind(list(faces.probes))
    for rule in faces.light.rules:
        if rule.panel is not None and rule.panel not in faces.panels:
            near = nearest(rule.panel, faces.panels)
            raise FaceError(f"{faces.path}: [light] panel = {quoted(rule.panel)} has no faces{near}")
