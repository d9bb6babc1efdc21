"""The desk of a host: messages come in from any thread, wait for their turn, and are answered.

Between a sender and the glass:

1. `Desk.bring` reads what came, in the thread of the way in. What makes no sense is answered at once. A message whose
   id was shown before is answered as it was then; one whose id waits already shares the answer of that one.
2. It waits in the `Inbox` of its panel: the most urgent first, then the oldest. A full inbox drops the oldest message
   of the lowest level.
3. `Inbox.turn`, in the thread that draws, says what is to be seen. The record has it before the panel does.
4. `Inbox.is_seen`, after the panel took it without an error, writes that into the record, and then answers.

So an answer never comes before the glass, and what the record says is true however the host ends: see
`lumek.messages.record`.
"""

from collections.abc import Collection, Iterator, Mapping, Sequence

from lumek._harmless import quoted
from lumek.errors import GarbledError
from lumek.messages.delivery import Delivery, Reply, Usual, send_answer
from lumek.messages.inbox import Inbox
from lumek.messages.models import KINDS, Answer, iso
from lumek.messages.reading import id_in, understood
from lumek.messages.record import Record
from lumek.readings.time_source import HOST_CLOCK, TimeSource


class Desk:
    """The messages of a host, for all its panels.

    panels: their names; [""] for the only one.
    queue: messages that may wait for each panel, 1 to 10000; a full queue drops the oldest of the lowest level.
    seconds: seconds, 0.001 to 100000000, that a text is shown, unless the message says so itself or needs longer.
    page_s: seconds, 0.001 to 100000000, that each page of a long text is shown.
    longest_s: seconds, 0.001 to 100000000, that a text is shown at most, whatever the message says.
    fit: 'pages', 'wrap' or 'glide': how long text is shown, unless the message says so itself.
    allow: what a message may ask for: a list of 'text', 'face', 'next', 'back', 'hold', 'light', 'contrast', 'clear'.
    record: of what was shown; by default it is kept while the program runs.
    clock: the clock of the answers; default: the host's.
    """

    def __init__(
        self,
        panels: Sequence[str] = ("",),
        *,
        queue: int = 20,
        seconds: float = 8.0,
        page_s: float = 4.0,
        longest_s: float = 86_400.0,
        fit: str = "pages",
        allow: Collection[str] = KINDS,
        record: Record | None = None,
        clock: TimeSource = HOST_CLOCK,
    ) -> None:
        self.record = Record() if record is None else record
        self.allow = tuple(allow)
        self.clock = clock
        self.inboxes: Mapping[str, Inbox] = {
            name: Inbox(name, self.record, queue, Usual(seconds, page_s, longest_s, fit), clock) for name in panels
        }

    def __iter__(self) -> Iterator[Inbox]:
        return iter(self.inboxes.values())

    def bring(
        self,
        content: bytes | str,
        reply: Reply | None = None,
        *,
        allow: Collection[str] | None = None,
        panels: Collection[str] | None = None,
        id: str | None = None,
    ) -> int:
        """Bring a message to the desk, from any thread.

        content: as it came: plain text, or JSON with the keys of `lumek.messages.models.Message`.
        reply: gets an answer from each panel that it is for; one for all that says why it is refused, where only the
            message says for which panels it is. It must not block, and is called from any thread.
        allow: what this sender may ask for; default: what everybody may.
        panels: those that it is for, whatever it says itself.
        id: its id, unless it has one.
        Returns the number of panels that it is for, and so of answers.
        """
        unix = self.clock.time()
        try:
            read = understood(content, self.allow if allow is None else allow)
            inboxes = self._inboxes_of(read.message.panel) if panels is None else [self.inboxes[one] for one in panels]
        except GarbledError as problem:
            names = [""] if panels is None else panels
            refusal = Answer(id=id_in(content) or id, state="refused", received=iso(unix), why=str(problem))
            if reply is not None:
                for name in names:
                    send_answer(reply, refusal.model_copy(update={"panel": name}))
            return len(names)
        if read.message.id is None and id is not None:
            read = read._replace(message=read.message.model_copy(update={"id": id}))
        for inbox in inboxes:
            known = inbox.put(Delivery(inbox.name, read, unix, reply))
            if known is not None and reply is not None:
                send_answer(reply, known)
        return len(inboxes)

    def _inboxes_of(self, panel: str | None) -> Sequence[Inbox]:
        """Those of a panel, or all. Raises GarbledError for a panel that is not here."""
        if panel is None:
            return list(self.inboxes.values())
        if panel not in self.inboxes:
            there = (
                ", ".join(quoted(name) for name in self.inboxes if name) or "one, without a name (drop the key 'panel')"
            )
            raise GarbledError(f"panel {quoted(panel)} does not exist here; panels: {there}")
        return [self.inboxes[panel]]

    def end(self) -> None:
        """Answer what waits: the host ends."""
        for inbox in self:
            inbox.end()

    def close(self) -> None:
        """Answer what waits, and close the record. A second time does nothing."""
        self.end()
        self.record.close()
