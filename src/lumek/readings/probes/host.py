"""What a host knows of itself: its address, clock, load and uptime."""

import os
import socket
import time
from collections.abc import Callable
from datetime import datetime
from typing import Unpack

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.probe import Probe, ProbeSettings
from lumek.readings.reading import Reading


class HostProbe(Probe):
    """Something that the host knows of itself. Needs psutil (PackageError without it).

    "address" is its address on the network, as text: IPv4 before IPv6, never a loopback, missing while it has none.
    "clock" is the Unix time, with the local date and time as text. "load" is the number of processes that wanted to run
    in the last minute, for each processor, in percent. "uptime" is the time since it started.

    what: 'address', 'clock', 'load' or 'uptime'.
    name: what is measured; default: the same as what.
    unit: text, as '%'; default: the unit of what it gives.
    interface: a network interface, as 'wlan0', whose address is shown; default: any.
    settings: those of `Probe`.
    Raises SettingError for a setting that is not possible.
    """

    def __init__(
        self,
        what: str,
        name: str | None = None,
        unit: str | None = None,
        *,
        interface: str | None = None,
        **settings: Unpack[ProbeSettings],
    ) -> None:
        if what not in WHAT:
            raise SettingError(f"a host does not know {quoted(what)}: it knows {', '.join(WHAT)}")
        if interface is not None and what != "address":
            raise SettingError(f"{what} has no interface: only address has")
        with wanted_by("HostProbe", "readings"):
            import psutil  # noqa: F401
        super().__init__(what if name is None else name, WHAT[what][0] if unit is None else unit, **settings)
        self.what = what
        self.interface = interface

    def take(self) -> object:
        """What the host knows now."""
        return WHAT[self.what][1](self)


def _address(probe: HostProbe) -> Reading:
    """The first address of an interface that is up; addresses that hold only on one cable come last."""
    import psutil

    up = {name for name, state in psutil.net_if_stats().items() if state.isup}
    found = []
    for name, addresses in psutil.net_if_addrs().items():
        for address in addresses:
            text = address.address.partition("%")[0]
            local = text.startswith(("169.254.", "fe80:"))
            own = text == "::1" or text.startswith("127.")
            if name in up and address.family in FAMILIES and not own and probe.interface in (None, name):
                found.append((local, FAMILIES.index(address.family), text))
    if not found:
        on = f"{probe.interface} has" if probe.interface else "the host has"
        raise LookupError(f"{on} no address yet; interfaces are {', '.join(psutil.net_if_addrs())}")
    return Reading(None, probe.name, time=probe.clock.time(), text=min(found)[2])


def _clock(probe: HostProbe) -> Reading:
    now = probe.clock.time()
    text = datetime.fromtimestamp(now).astimezone().isoformat(" ", "seconds")[:19]
    return Reading(now, probe.name, probe.unit, now, text=text)


def _load(probe: HostProbe) -> float:
    return os.getloadavg()[0] / (os.cpu_count() or 1) * 100


def _uptime(probe: HostProbe) -> float:
    import psutil

    return time.time() - psutil.boot_time()


FAMILIES = [socket.AF_INET, socket.AF_INET6]
WHAT: dict[str, tuple[str, Callable[[HostProbe], object]]] = {
    "address": ("", _address), "clock": ("", _clock), "load": ("%", _load), "uptime": ("s", _uptime),
}  # fmt: skip
