"""Runs lumek under a real kernel, as python tools/in_guest.py show "Hive 3" --bus 0 --address 0x27.

The kernel is Debian's, in QEMU; its buses and lines lead to simulated panels and sensors: tools/machines/computer.py.
The first time takes a minute more, and root, to install QEMU and the kernel. Prints what the command printed, and the
panels that show something or were treated wrongly. Exit code: that of the command.
"""

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from machines.computer import Computer, prepared


def main() -> int:
    """Boot, run the command with these arguments, and print."""
    with TemporaryDirectory() as folder:
        computer = Computer(prepared(), Path(folder))
        try:
            result = computer.lumek(*sys.argv[1:])
        finally:
            computer.end()
    print(result.out, end="")
    print(result.err, end="", file=sys.stderr)
    for name, twin in computer.panels.items():
        if any(row.strip() for row in twin.rows) or twin.violations:
            print(f"{name}:", *twin.rows, *map(str, twin.violations), sep="\n  ")
    return result.code


if __name__ == "__main__":
    sys.exit(main())
