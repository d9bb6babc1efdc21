"""Blocks of assignments that reach a panel as one, and that an interrupt may end anywhere."""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.panel import Panel


class Together:
    """The block that `Panel.together` opens.

    An interrupt (Ctrl-C) may come between any two steps in here, and must leave neither the lock held nor the block
    open. What was done is therefore known from the lock and from the panel's set of open blocks, never from how far the
    code had come; only the outermost block of a thread takes the lock. A block whose end was itself interrupted is
    closed when it is deleted.
    """

    def __init__(self, panel: "Panel", may_clear: bool) -> None:
        self._panel, self._may_clear = panel, may_clear
        self._inner = True

    def __enter__(self) -> "Panel":
        panel = self._panel
        panel._check_open()
        self._inner = panel._lock._is_owned()
        try:
            if not self._inner:
                panel._lock.acquire()
            panel._blocks.add(id(self))
            panel._may_clear = panel._may_clear or self._may_clear
            panel._asks = True  # also when an interrupt ends the block before anything is brought to the panel
            return panel
        except BaseException:
            self._leave()
            raise

    def __exit__(self, *exc: object) -> None:
        panel = self._panel
        try:
            panel._blocks.discard(id(self))
            panel._flush()
        finally:
            self._leave()

    def __del__(self) -> None:
        if not self._inner or id(self) in self._panel._blocks:
            self._leave()

    def _leave(self) -> None:
        """Close the block, and give the lock back if it is this block's."""
        self._panel._blocks.discard(id(self))
        if not self._inner and self._panel._lock._is_owned():
            self._panel._lock.release()
        self._inner = True
