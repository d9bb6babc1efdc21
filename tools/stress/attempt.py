"""One attempt: something is done with hostile input, and either works or is refused by one harmless line in time."""

import re
import signal
import traceback
from collections.abc import Callable
from types import FrameType

from lumek import LumekError

LIMIT_S = 5.0

CONTROLS = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]")
"""What must not reach a terminal from elsewhere; line ends and tabs are the commands' own."""

HOSTILE = (
    "\x1b]0;owned\x07", "\x1b]52;c;b3duZWQ=\x07", "\x1b[2J", "\x9b31m", "\u202eevil", "\u2066", "\x00", "\r", "\x85", "\ud800",
    "e" + "\u0301\u0316" * 900, "👩\u200d" * 900, "\u200b" * 900, "[" * 3000, "{a=" * 400, "a." * 5000 + "a = 1", "9" * 5000,
    "1e999", "nan", "-inf", "5e-324", "1e10", "1_000", "-1", "0x27", "true", '"', '"""', "'''", "= =", "[[x]]", "\n[a]\n",
    '"(a, a)"', '"' + "-" * 480 + 'a"', '"((((9**99)**99)**99)**99)*m"', '"%"', '"$\\\\frac{"', "1979-05-27T07:32:00Z",
    "@SUM(1)", "+1+cmd|'x'!A0", "../../etc", "/dev/zero",
)  # fmt: skip


class Hang(BaseException):
    """An attempt took too long."""


def _late(number: int, frame: FrameType | None) -> None:
    raise Hang


def attempt(
    what: str, do: Callable[[], object], failures: list[str], allowed: tuple[type[Exception], ...] = ()
) -> None:
    """Do something; note in `failures` what should not happen. allowed: errors besides Lumek's own."""
    signal.signal(signal.SIGALRM, _late)
    signal.setitimer(signal.ITIMER_REAL, LIMIT_S)
    try:
        do()
    except Hang:
        failures.append(f"{what}: hangs")
    except (LumekError, *allowed) as problem:
        text = str(problem)
        if "\n" in text or len(text) > 2000 or (isinstance(problem, LumekError) and CONTROLS.search(text)):
            failures.append(f"{what}: not one harmless line: {text[:200]!r}")
    except Exception:
        failures.append(f"{what}: {traceback.format_exc(limit=-3)}")
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
