"""Messages: text and commands from elsewhere, shown in turn on a panel, and acknowledged.

A *way in* (`lumek.messages.ways`) hears senders. The `Desk` of a host reads what they send, and gives it to the `Inbox`
of the panel that it is for. There it waits for its turn. Once it is on the glass, or when it never will be, the sender
gets an `Answer` by the way that the message came.
"""

from lumek.messages.desk import Desk
from lumek.messages.inbox import Inbox
from lumek.messages.models import Answer, Message
from lumek.messages.record import Record

__all__ = ["Answer", "Desk", "Inbox", "Message", "Record"]
