"""elf_kernel.py VMLINUZ OUT: the kernel as an ELF file, out of a bzImage.

Source: Linux documentation, "The Linux/x86 Boot Protocol": setup_sects at 0x1F1, payload_offset and payload_length at
0x248. The four bytes that end the payload say how long it is when it is unpacked.
"""

import struct
import subprocess
import sys
from pathlib import Path

UNPACK = {b"\x28\xb5\x2f\xfd": "zstd", b"\xfd7zX": "xz", b"\x02!L\x18": "lz4"}


def elf_kernel(image: bytes) -> bytes:
    """The ELF file in a bzImage."""
    start = ((image[0x1F1] or 4) + 1) * 512
    offset, length = struct.unpack_from("<II", image, 0x248)
    payload = image[start + offset : start + offset + length]
    return subprocess.run([UNPACK[payload[:4]], "-dc"], input=payload[:-4], stdout=subprocess.PIPE, check=True).stdout


if __name__ == "__main__":
    Path(sys.argv[2]).write_bytes(elf_kernel(Path(sys.argv[1]).read_bytes()))
