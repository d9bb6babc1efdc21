"""What keeps a panel right, and says how it is: the part of `Panel` that looks after what it shows."""

from lumek._harmless import quoted
from lumek.core.values import is_whole, whole_setting
from lumek.errors import HookupError, PlaceError, SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from typing import Any

    from lumek._driver import Driver
    from lumek._explain import Explained
    from lumek._health import Health
    from lumek._raw import Status
    from lumek._read_back import Memory
    from lumek._tending import Tending
    from lumek.core.cells import Cells

MOST_RETRIES = 10

SHORTEST_S, LONGEST_S = 0.05, 1_000_000
"""Seconds from one refresh to the next."""


class Upkeep:
    """Refreshing, verifying, restarting and reading back; `Panel` has the rest."""

    if TYPE_CHECKING:
        _lock: Any
        _blocks: set[int]
        _driver: Driver
        _cells: Cells
        _tending: Tending | None

        def _check_open(self) -> None: ...

        def _flush(self) -> None: ...

        def _bring(self) -> None: ...

        def _bring_once(self) -> None: ...

    @property
    def health(self) -> "Health":
        """How it has been: counters of transfers, errors, retries, restarts and repairs; see `lumek._health.Health`."""
        return self._driver.health

    @property
    def retries(self) -> int:
        """How often a transfer that fails is repeated before its error is raised, 0 to 10.

        The first time it is repeated after 40 ms, then after 80, and so on.
        """
        return self._driver.retries

    @retries.setter
    def retries(self, retries: int) -> None:
        self._driver.retries = checked_retries(retries)

    @property
    def refresh_every_s(self) -> float | None:
        """Seconds after which a disturbed panel is right again by itself, at most twice as many; None for never.

        See `refresh`. It is done in parts of a few milliseconds, by a thread where Python has threads, else by `tend`.
        """
        return self._tending.refresh_every_s if self._tending is not None else None

    @refresh_every_s.setter
    def refresh_every_s(self, seconds: float | None) -> None:
        self._tend_every("refresh_every_s", seconds)

    @property
    def verify_every_s(self) -> float | None:
        """The same for `verify`, which reads and repairs only what differs. Raises HookupError when RW is not wired."""
        return self._tending.verify_every_s if self._tending is not None else None

    @verify_every_s.setter
    def verify_every_s(self, seconds: float | None) -> None:
        if seconds is not None:
            self._check_readable()
        self._tend_every("verify_every_s", seconds)

    def refresh(self) -> None:
        """Synchronise the panel and send once more what it should show, without blanking it.

        For a panel that may have been disturbed without an error: a spike on a wire, a lost half of a byte, a supply
        that failed for a moment. It costs 370 port states, with eight drawings 630, and 5 ms of waiting; only a
        cursor and a slide may be seen to move meanwhile. Raises what the port raises.
        """
        with self._lock:
            self._check_open()
            self._driver.doubt()
            self._bring()

    def verify(self) -> int:
        """Compare the panel's memory with what it should hold, and write again what differs.

        Returns how many bytes of DDRAM, rows of drawings and address counters differed; `health.repaired` sums them.
        The shift cannot be read, and is restored. Raises HookupError when RW is not wired, and what the port raises.
        """
        from lumek._read_back import verified  # needed only by programs that read

        self._check_readable()
        with self._lock:
            self._check_open()
            before = self.health.repaired
            self._once_started(lambda: verified(self._driver))
            return self.health.repaired - before

    def tend(self, seconds: float | None = None) -> None:
        """Do what is due of refreshing and verifying: a part of a few milliseconds, or nothing.

        For programs without threads, and for those with a clock of their own: call it in each turn of the main loop.
        seconds: the time, by any clock that does not go back; default: the host's. Once it is given, the thread that
            does this otherwise is ended.
        Raises what the port raises. A panel that failed before is brought back as soon as it answers.
        """
        if self._tending is not None or seconds is not None:
            self._tender().by_hand(seconds)

    def memory(self, controller: int = 0) -> "Memory":
        """The contents of a controller, read back: its DDRAM, its CGRAM and its address counter.

        controller: 0, or 1 for the lower half of a 40x4.
        The panel is synchronised first, so that halves of bytes are not mixed up; nothing is repaired. Raises
        HookupError when RW is not wired, PlaceError.
        """
        from lumek._read_back import memory_of  # needed only by programs that read

        self._check_readable()
        self._check_controller(controller)
        with self._lock:
            self._check_open()
            found: list[Memory] = []
            self._once_started(lambda: found.append(memory_of(self._driver, controller)))
            self._flush()
        return found[-1]

    def read_back(self) -> list[str]:
        """The text in the panel's own memory, row by row; U+FFFD for a code that draws no known character.

        It differs from `rows` where the ROM lacks a character, and where the panel was disturbed; see `refresh`.
        Raises HookupError when RW is not wired.
        """
        from lumek._read_back import text_in  # needed only by programs that read

        with self._lock:
            memories = [self.memory(number) for number in range(len(self._driver.timings))]
            return text_in(memories, self._cells, self._cells.rom)

    def send(self, *instructions: int, controller: int = 0) -> None:
        """Send instructions of the data sheet, as they are: `panel.send(clear_display(), 0x80)`.

        instructions: bytes, 0x00 to 0xff; the functions of `lumek.core.instructions` make them.
        controller: 0, or 1 for the lower half of a 40x4.
        They are sent at once, each with the time that it needs. What they change is repainted by the next assignment,
        and nothing else. Raises SettingError for anything but bytes, PlaceError, and what the port raises: what fails
        is not repeated.
        """
        from lumek._raw import byte_of

        self._speak(0, bytes([byte_of(code) for code in instructions]), controller)

    def send_data(self, data: "bytes | int | Iterable[int]", controller: int = 0) -> None:
        """Write bytes to where the address counter is: codes of characters, or rows of glyphs; see `send`."""
        from lumek._raw import bytes_of

        self._speak(1, bytes_of(data), controller)

    def read_data(self, count: int = 1, controller: int = 0) -> bytes:
        """Read bytes from where the address counter is, which moves on by as many; from DDRAM or CGRAM.

        Raises HookupError when RW is not wired, and what the port raises.
        """
        from lumek._raw import read

        count = whole_setting("count", count, 1)
        found: list[bytes] = []
        self._listen(lambda: found.append(read(self._driver, controller, count)), controller)
        return found[-1]

    def read_status(self, controller: int = 0) -> "Status":
        """The busy flag and the address counter. Raises HookupError when RW is not wired, and what the port raises."""
        from lumek._raw import status

        found: list[Status] = []
        self._listen(lambda: found.append(status(self._driver, controller)), controller)
        return found[-1]

    def explain(self) -> "list[Explained]":
        """The steps of the last assignment that was sent: their bytes, words, cost in microseconds, and reason.

        A microcontroller keeps no steps: there the list is empty.
        """
        from lumek._explain import explained

        with self._lock:
            return explained(self._driver)

    def restart(self) -> None:
        """Start the panel again as after power-on, which blanks it, and send everything again.

        For a panel that shows something else than `rows`; `refresh` mends the same without blanking. It is done at
        once, also within `together()`, and where an interrupt has left such a block open.
        """
        with self._lock:
            self._check_open()
            self._blocks.clear()
            self._driver.forget()
            self._flush()

    def _speak(self, rs: int, data: bytes, controller: int) -> None:
        from lumek._raw import send

        self._check_controller(controller)
        with self._lock:
            self._check_open()
            self._asks = True
            if self._driver.shown is None:
                self._driver.insist(self._bring_once)
            if data:
                send(self._driver, controller, rs, data)

    def _listen(self, act: "Callable[[], object]", controller: int) -> None:
        self._check_readable()
        self._check_controller(controller)
        with self._lock:
            self._check_open()
            self._once_started(act)
            self._asks = True

    def _once_started(self, act: "Callable[[], object]") -> None:
        """Do what reads the panel; one that failed before is brought back first."""

        def started_act() -> None:
            if self._driver.shown is None:
                self._bring_once()
            act()

        self._driver.insist(started_act)

    def _check_readable(self) -> None:
        if not self._driver.link.can_read:
            raise HookupError(
                "nothing can be read from this panel: its RW pin is grounded, or has no line given as 'rw'"
            )

    def _check_controller(self, number: int) -> None:
        there = self._driver.geometry.controllers
        if not is_whole(number) or not 0 <= number < there:
            raise PlaceError(f"controller {quoted(number)} does not exist: this panel has {there}, from 0")

    def _tend_every(self, what: str, seconds: float | None) -> None:
        known = isinstance(seconds, (int, float)) and not isinstance(seconds, bool)
        if seconds is not None and not (known and SHORTEST_S <= seconds <= LONGEST_S):
            raise SettingError(f"{what} is {SHORTEST_S:g} to {LONGEST_S:g} seconds, or None, not {quoted(seconds)}")
        with self._lock:
            if self._tending is not None or seconds is not None:
                self._tender().every(what, seconds)

    def _tender(self) -> "Tending":
        if self._tending is None:
            from lumek._tending import Tending  # needed only by programs that refresh

            self._tending = Tending(self)
        return self._tending


def checked_retries(retries: int) -> int:
    """A number of retries. Raises SettingError."""
    if whole_setting("retries", retries, 0) > MOST_RETRIES:
        raise SettingError(f"retries is a whole number up to {MOST_RETRIES}, not {quoted(retries)}")
    return int(retries)
