"""Ports that are devices of a host: they are opened again after they were lost, and given back at the end."""

from abc import abstractmethod
from contextlib import suppress
from types import TracebackType
from typing import Generic, Self, TypeVar

from lumek.errors import ClosedError

Device = TypeVar("Device")


class DevicePort(Generic[Device]):
    """A port with a device of the host, which is given back by `close`, also at the end of a `with` block.

    A device that is lost (an adapter unplugged, a driver unbound) is let go, since the host cannot bring it back
    before that; the next call opens it again, and fails as long as it is away.
    """

    def __init__(self) -> None:
        self._closed = False
        self._device: Device | None = self._open()

    @abstractmethod
    def _open(self) -> Device:
        """Open the device. Raises PortError."""

    @abstractmethod
    def _shut(self, device: Device) -> None:
        """Give the device back."""

    def _opened(self) -> Device:
        """The device; opened again when it was lost. Raises PortError, ClosedError."""
        if self._closed:
            raise ClosedError(f"{self!r} cannot be used any more: make a new {type(self).__name__}")
        if self._device is None:
            self._device = self._open()
        return self._device

    def _lose(self) -> None:
        """Let the device go, whatever that says."""
        device, self._device = self._device, None
        if device is not None:
            with suppress(Exception):
                self._shut(device)

    def close(self) -> None:
        """Give it back. A second time does nothing."""
        self._closed = True
        device, self._device = self._device, None
        if device is not None:
            self._shut(device)

    @property
    def _closed_mark(self) -> str:
        """For its `repr`."""
        return ", closed" if self._closed else ""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
