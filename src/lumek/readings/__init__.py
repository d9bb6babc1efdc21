"""Readings: from a sensor's raw value to a number that one can trust, smoothed, logged and drawn.

`Reading` is a number with its name, unit, time and flaw. Probes give readings and never raise; `Poller` polls many of
them off the drawing thread. `conversions` and `smoothing` follow a probe: `probe.through(...)`. `Log`, `load` and
`plot` keep what was read. What is named here loads when it is used.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

from lumek.readings.reading import FLAWS, Reading

if TYPE_CHECKING:
    from lumek.readings import conversions, smoothing
    from lumek.readings.chart import plot
    from lumek.readings.loading import load
    from lumek.readings.log import Log
    from lumek.readings.poller import Poller
    from lumek.readings.probe import FunctionProbe, Probe
    from lumek.readings.probes.growing import GrowingTable
    from lumek.readings.probes.host import HostProbe
    from lumek.readings.probes.kernel import kernel_probe, sensors
    from lumek.readings.probes.line_feeds import InputText, SerialText, TcpText
    from lumek.readings.probes.replay import Replay
    from lumek.readings.probes.simulated import SimulatedProbe
    from lumek.readings.probes.topics import MqttTopics
    from lumek.readings.probes.web import HttpJson
    from lumek.readings.time_source import HandClock

__all__ = [
    "FLAWS", "FunctionProbe", "GrowingTable", "HandClock", "HostProbe", "HttpJson", "InputText", "Log", "MqttTopics",
    "Poller", "Probe", "Reading", "Replay", "SerialText", "SimulatedProbe", "TcpText", "conversions", "kernel_probe",
    "load", "plot", "sensors", "smoothing",
]  # fmt: skip

_LATER = {"plot": "chart", "HandClock": "time_source", "Log": "log", "load": "loading", "Poller": "poller",
         "FunctionProbe": "probe", "Probe": "probe", "HostProbe": "probes.host", "GrowingTable": "probes.growing",
         "kernel_probe": "probes.kernel",
         "sensors": "probes.kernel", "InputText": "probes.line_feeds", "SerialText": "probes.line_feeds",
         "TcpText": "probes.line_feeds", "Replay": "probes.replay", "SimulatedProbe": "probes.simulated",
         "MqttTopics": "probes.topics", "HttpJson": "probes.web"}  # fmt: skip


def __getattr__(name: str) -> Any:
    if name in ("conversions", "smoothing"):
        return import_module(f"lumek.readings.{name}")
    if name not in _LATER:
        raise AttributeError(f"module 'lumek.readings' has no attribute {name!r}")
    return getattr(import_module(f"lumek.readings.{_LATER[name]}"), name)
