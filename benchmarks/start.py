"""How long Lumek takes to start: python benchmarks/start.py prints medians, and their ratio to `python -c pass`."""

import statistics
import subprocess
import sys
import time

REPEATS = 15
WORK = {
    "python -c pass": ["-c", "pass"],
    "import lumek": ["-c", "import lumek"],
    "lumek --help": ["-m", "lumek", "--help"],
    "lumek show --help": ["-m", "lumek", "show", "--help"],
    "lumek show Bees": ["-m", "lumek", "show", "Bees"],
}


def median_ms(arguments: list[str]) -> float:
    """The median time of a new Python with these arguments, in milliseconds."""
    times = []
    for _ in range(REPEATS):
        start = time.perf_counter()
        subprocess.run([sys.executable, *arguments], check=True, stdout=subprocess.DEVNULL)
        times.append(time.perf_counter() - start)
    return statistics.median(times) * 1000


def main() -> None:
    """Print the table."""
    plain = 0.0
    print("| what | ms | of `python -c pass` |")
    print("|---|---|---|")
    for name, arguments in WORK.items():
        ms = median_ms(arguments)
        plain = plain or ms
        print(f"| `{name}` | {ms:.0f} | {ms / plain:.1f} x |")


if __name__ == "__main__":
    main()
