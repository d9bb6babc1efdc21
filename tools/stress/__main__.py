"""Attack Lumek with files, values, servers, signals and full disks, from a seed; count what should never happen.

Run it in a checkout: python tools/stress [--seed 1] [--part files] [--times 1.0]
Without more it takes a sample of about two minutes; --times 50 is the whole: 50,000 files. Ends with 1 if there was a
traceback, a hang, an error of more than one line, or a control character on its way to a terminal.
"""

import argparse
import logging
import random
import signal
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
import files
import network
import processes
import values

import captures
import messages

PARTS = {
    "captures": captures.run,
    "files": files.run,
    "values": values.run,
    "network": network.run,
    "messages": messages.run,
    "processes": processes.run,
}


def main() -> int:
    """Run the parts that are asked for; the exit code."""
    options = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--part", choices=PARTS, action="append")
    options.add_argument("--times", type=float, default=1.0, help="how many times the sample")
    given = options.parse_args()
    logging.getLogger("lumek").addHandler(logging.NullHandler())
    logging.getLogger("lumek").propagate = False
    # Commands ignore a signal that was ignored when they started; nohup, or a shell's background, shall change nothing.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.signal(signal.SIGHUP, signal.SIG_DFL)
    failures: list[str] = []
    for name in given.part or PARTS:
        began = time.monotonic()
        with tempfile.TemporaryDirectory() as folder:
            summary, found = PARTS[name](random.Random(given.seed), given.times, Path(folder))
        print(f"{name}: {summary}, {len(found)} failures, {time.monotonic() - began:.0f} s", flush=True)
        failures += [f"{name}: {one}" for one in found]
    for one in failures[:20]:
        print(one)
    print(f"seed {given.seed}: {len(failures)} failures")
    return 1 if failures else 0


if __name__ == "__main__":
    sys.exit(main())
