# What a board does when it starts, for a native MicroPython: its file system, its path, and its program.
import os
import sys


class Memory:
    """A file system's device in memory, of blocks of 512 bytes."""

    def __init__(self, room):
        self.data = bytearray(room)

    def readblocks(self, block, data, offset=0):
        start = block * 512 + offset
        data[:] = self.data[start : start + len(data)]

    def writeblocks(self, block, data, offset=0):
        start = block * 512 + offset
        self.data[start : start + len(data)] = data

    def ioctl(self, what, _):
        return {4: len(self.data) // 512, 5: 512, 6: 0}.get(what)


def mount(room):
    import vfs

    memory = Memory(room)
    vfs.VfsLfs2.mkfs(memory)
    vfs.mount(vfs.VfsLfs2(memory), "/board")
    os.chdir("/board")


if os.getenv("BOARD_ROOM"):
    mount(int(os.getenv("BOARD_ROOM")))
sys.path += ["", os.getcwd().rstrip("/") + "/lib"]
try:
    os.stat("main.py")
except OSError:
    pass
else:
    with open("main.py") as program:
        exec(program.read())
