"""What a face file needs to run: packages, files and devices; and what it connects to."""

from collections.abc import Iterator
from pathlib import Path

from lumek.errors import FaceError, PackageError, PortError
from lumek.faces.face_file import FaceFile
from lumek.faces.probe_tables import KINDS, paths_of, stages_of
from lumek.hookup.wiring import BackpackTable, DirectTable
from lumek.readings.extras import lacking
from lumek.readings.probes.kernel import sensors
from lumek.readings.probes.replay import Replay

TITLES = {"mqtt": "MQTT broker", "http": "web server", "serial": "serial port", "tcp": "TCP", "replay": "recording",
          "growing": "growing table", "input": "lines from"}  # fmt: skip
"""Kind of source: what it leads to, for people."""


def places(faces: FaceFile) -> list[str]:
    """Where its readings come from and its panels are, a line each, without secrets."""
    lines = []
    for name, table in faces.sources.items():
        settings = table.model_dump()
        lines.append(f"[sources.{name}]  {TITLES[table.kind]} {KINDS[table.kind].place_of(settings)}")
    if faces.messages is not None:
        lines += faces.messages.places()
    for name, path in _devices(faces):
        missing = path.startswith("/") and not Path(path).exists()
        lines.append(f"{name}  {path}{', which this host does not have' if missing else ''}")
    return lines


def shortfalls(faces: FaceFile) -> list[str]:
    """What is missing here: packages, files, sensors and ports, a line each."""
    return list(dict.fromkeys([*_shortfalls(faces), *_of_messages(faces)]))


def _shortfalls(faces: FaceFile) -> Iterator[str]:
    there: set[str] | None = None
    for name, table in faces.sources.items():
        kind = KINDS[table.kind]
        needs = lacking(f"[sources.{name}]", kind.extra, kind.modules)
        if needs:
            yield needs
        elif table.kind == "replay":
            yield from _of_recording(faces, name)
        elif table.kind == "serial" and not Path(table.port).exists():
            yield f"[sources.{name}] this host has no port {table.port}"
        else:
            paths = [faces.path.parent / path for key in paths_of(kind) if (path := getattr(table, key))]
            yield from (f"[sources.{name}] there is no file {path}" for path in paths if not path.is_file())
    for name, table in faces.probes.items():
        if table.host is not None and (needs := lacking(f"[probes.{name}]", "readings", ("psutil",))):
            yield needs
        if getattr(table, "pointer", None) is not None and (
            needs := lacking(f"[probes.{name}]", "network", ("jsonpointer",))
        ):
            yield needs
        try:
            stages_of(table)
        except PackageError as problem:
            yield f"[probes.{name}] {problem}"
        if table.kernel is not None:
            there = {sensor.id for sensor in sensors()} if there is None else there
            if table.kernel not in there:
                yield f"[probes.{name}] there is no sensor {table.kernel}: 'lumek sensors' lists them"


def _of_messages(faces: FaceFile) -> Iterator[str]:
    """What is missing for messages."""
    if faces.messages is not None:
        yield from faces.messages.shortfalls()


def _of_recording(faces: FaceFile, source: str) -> Iterator[str]:
    """What keeps a recording from being read. Raises FaceError for one that can be read but not used."""
    try:
        with faces.opened(source) as recording:
            assert isinstance(recording, Replay)
            for name, table in faces.probes.items():
                if table.source == source:
                    with faces.placing(f"[probes.{name}]"):
                        recording.probe(name, column=getattr(table, "column", None))
    except FaceError:
        raise
    except (PackageError, PortError) as problem:
        yield str(problem).removeprefix(f"{faces.path}: ")


def _devices(faces: FaceFile) -> Iterator[tuple[str, str]]:
    """The devices that the panels of a file are on."""
    for name, panel in (faces.hookup.panels if faces.hookup is not None else {}).items():
        wiring = panel.hookup
        if faces.hookup is not None and faces.hookup.board is not None:
            device = faces.hookup.board
        elif isinstance(wiring, BackpackTable):
            device = f"/dev/i2c-{wiring.bus}"
        elif isinstance(wiring, DirectTable) or wiring.serial:
            device = wiring.chip
        else:
            bus, place = wiring.spi or (0, 0)
            device = f"/dev/spidev{bus}.{place}"
        yield name if name == "panel" else f"panel {name}", device
