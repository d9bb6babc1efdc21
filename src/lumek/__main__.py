"""The command line, as the command `lumek` (scripts/lumek) and as `python -m lumek`. It loads as little as it can."""

import sys

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import NoReturn

INTERRUPTED = 130
"""The exit code of what Ctrl-C ended, as shells have it."""


def main() -> "NoReturn":
    """Run the command line; Ctrl-C ends it without a traceback, also while it loads and while it ends."""
    import signal

    try:
        from lumek.cli import main as run

        signal.signal(signal.SIGINT, signal.default_int_handler)
        run()
    except KeyboardInterrupt:
        print("lumek: stopped", file=sys.stderr)
        sys.exit(INTERRUPTED)
    finally:
        signal.signal(signal.SIGINT, signal.SIG_IGN)


if __name__ == "__main__":
    main()
