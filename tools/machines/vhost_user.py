"""A device of QEMU's guest, served from this process over a socket: vhost-user, with split virtqueues.

Sources: QEMU documentation, "Vhost-user Protocol"; virtio 1.2, 2.7 (split virtqueues).
"""

import mmap
import os
import selectors
import socket
import struct
import threading
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

VERSION_1, PROTOCOL_FEATURES = 1 << 32, 1 << 30
PROTOCOL_MQ, PROTOCOL_REPLY_ACK, PROTOCOL_CONFIG = 1 << 0, 1 << 3, 1 << 9

GET_FEATURES, SET_MEM_TABLE, SET_VRING_NUM, SET_VRING_ADDR, SET_VRING_BASE = 1, 5, 8, 9, 10
GET_VRING_BASE, SET_VRING_KICK, SET_VRING_CALL, SET_VRING_ERR = 11, 12, 13, 14
GET_PROTOCOL_FEATURES, GET_QUEUE_NUM, GET_CONFIG = 15, 17, 24
NEEDS_REPLY = 8

NEXT, WRITE, INDIRECT = 1, 2, 4
NO_INTERRUPT = 1


class Device(Protocol):
    """What a backend serves."""

    features: int
    config: bytes

    def handle(self, queue: int, request: list[bytes], room: int) -> bytes | None:
        """Answer a request, in `room` bytes at most; None keeps it, as an event that has not happened."""


@dataclass
class Region:
    """A part of the guest's memory."""

    guest: int
    size: int
    user: int
    offset: int
    memory: mmap.mmap


@dataclass
class Queue:
    """A virtqueue: where its tables are, and how far it is served."""

    number: int
    size: int = 0
    descriptors: int = 0
    used: int = 0
    available: int = 0
    served: int = 0
    kick: int = -1
    call: int = -1


class Backend(threading.Thread):
    """Serves one device at a socket until its front end, QEMU, hangs up. `problem` is what ended it early."""

    def __init__(self, path: Path, device: Device, queues: int = 1) -> None:
        super().__init__(name=path.name, daemon=True)
        self.device = device
        self.problem: BaseException | None = None
        self._queues = [Queue(number) for number in range(queues)]
        self._regions: list[Region] = []
        self._selector = selectors.DefaultSelector()
        self._listener = socket.socket(socket.AF_UNIX)
        self._listener.bind(str(path))
        self._listener.listen(1)
        self._listener.settimeout(30)

    def run(self) -> None:
        """Serve."""
        with self._listener:
            self._peer, _ = self._listener.accept()
        try:
            self._selector.register(self._peer, selectors.EVENT_READ)
            while True:
                for key, _ in self._selector.select():
                    if isinstance(key.data, Queue):
                        os.read(key.fd, 8)
                        self._serve(key.data)
                    elif not self._message():
                        return
        except BaseException as problem:
            self.problem = problem
        finally:  # QEMU would wait for us
            self._peer.close()
            self._selector.close()

    def _message(self) -> bool:
        head, files, _, _ = socket.recv_fds(self._peer, 12, 16)
        if len(head) < 12:
            return False
        request, flags, size = struct.unpack("<III", head)
        body = b""
        while len(body) < size:
            more, extra, _, _ = socket.recv_fds(self._peer, size - len(body), 16)
            body, files = body + more, files + extra
        answer = self._answer(request, body, files)
        if answer is None and flags & NEEDS_REPLY:
            answer = struct.pack("<Q", 0)
        if answer is not None:
            self._peer.sendall(struct.pack("<III", request, 5, len(answer)) + answer)
        return True

    def _answer(self, request: int, body: bytes, files: list[int]) -> bytes | None:
        if request == GET_FEATURES:
            return struct.pack("<Q", VERSION_1 | PROTOCOL_FEATURES | self.device.features)
        if request == GET_PROTOCOL_FEATURES:
            config = PROTOCOL_CONFIG if self.device.config else 0
            return struct.pack("<Q", PROTOCOL_MQ | PROTOCOL_REPLY_ACK | config)
        if request == GET_QUEUE_NUM:
            return struct.pack("<Q", len(self._queues))
        if request == GET_CONFIG:
            offset, size, flags = struct.unpack_from("<III", body)
            return struct.pack("<III", offset, size, flags) + self.device.config[offset:][:size].ljust(size, b"\0")
        if request == SET_MEM_TABLE:
            self._map(body, files)
        elif request in (SET_VRING_NUM, SET_VRING_BASE, GET_VRING_BASE):
            number, value = struct.unpack_from("<II", body)
            queue = self._queues[number]
            if request == SET_VRING_NUM:
                queue.size = value
            elif request == SET_VRING_BASE:
                queue.served = value
            else:  # it also stops the queue
                self._halt(queue)
                return struct.pack("<II", number, queue.served)
        elif request == SET_VRING_ADDR:
            number, _, descriptors, used, available, _ = struct.unpack("<IIQQQQ", body)
            queue = self._queues[number]
            queue.descriptors, queue.used, queue.available = descriptors, used, available
        elif request in (SET_VRING_KICK, SET_VRING_CALL, SET_VRING_ERR):
            self._take_file(self._queues[body[0]], request, files)
        return None

    def _map(self, body: bytes, files: list[int]) -> None:
        for region in self._regions:
            region.memory.close()
        self._regions = []
        for number, file in enumerate(files):
            guest, size, user, offset = struct.unpack_from("<QQQQ", body, 8 + 32 * number)
            self._regions.append(Region(guest, size, user, offset, mmap.mmap(file, size + offset)))
            os.close(file)

    def _take_file(self, queue: Queue, request: int, files: list[int]) -> None:
        if request == SET_VRING_KICK:
            self._halt(queue)
            queue.kick = files[0]
            self._selector.register(queue.kick, selectors.EVENT_READ, queue)
        elif request == SET_VRING_CALL:
            if queue.call >= 0:
                os.close(queue.call)
            queue.call = files[0] if files else -1
        else:
            for file in files:
                os.close(file)

    def _halt(self, queue: Queue) -> None:
        if queue.kick >= 0:
            self._selector.unregister(queue.kick)
            os.close(queue.kick)
            queue.kick = -1

    def _place(self, address: int, user: bool = False) -> tuple[mmap.mmap, int]:
        """The memory at an address of the guest, or of QEMU."""
        for region in self._regions:
            first = region.user if user else region.guest
            if first <= address < first + region.size:
                return region.memory, address - first + region.offset
        raise LookupError(f"{address:#x} is in no region")

    def _serve(self, queue: Queue) -> None:
        memory, available = self._place(queue.available, user=True)
        while True:
            (index,) = struct.unpack_from("<H", memory, available + 2)
            if queue.served == index:
                return
            (head,) = struct.unpack_from("<H", memory, available + 4 + 2 * (queue.served % queue.size))
            queue.served = queue.served + 1 & 0xFFFF
            request, room = self._chain(queue, head)
            answer = self.device.handle(queue.number, request, sum(size for _, size in room))
            if answer is not None:
                self._finish(queue, head, room, answer)

    def _chain(self, queue: Queue, head: int) -> tuple[list[bytes], list[tuple[int, int]]]:
        """What the guest wrote, and (address, size) of where it wants the answer."""
        table, base = self._place(queue.descriptors, user=True)
        request, room = [], []
        while True:
            address, size, flags, following = struct.unpack_from("<QIHH", table, base + 16 * head)
            if flags & INDIRECT:  # the chain is in a table of its own
                (table, base), head = self._place(address), 0
                continue
            if flags & WRITE:
                room.append((address, size))
            else:
                memory, place = self._place(address)
                request.append(bytes(memory[place : place + size]))
            if not flags & NEXT:
                return request, room
            head = following

    def _finish(self, queue: Queue, head: int, room: list[tuple[int, int]], answer: bytes) -> None:
        written = 0
        for address, size in room:
            memory, place = self._place(address)
            piece = answer[written : written + size]
            memory[place : place + len(piece)] = piece
            written += len(piece)
        memory, used = self._place(queue.used, user=True)
        (index,) = struct.unpack_from("<H", memory, used + 2)
        struct.pack_into("<II", memory, used + 4 + 8 * (index % queue.size), head, written)
        struct.pack_into("<H", memory, used + 2, index + 1 & 0xFFFF)
        # The guest may have asked for interrupts only after it gave the request: this is looked at last.
        memory, available = self._place(queue.available, user=True)
        (flags,) = struct.unpack_from("<H", memory, available)
        if not flags & NO_INTERRUPT and queue.call >= 0:
            os.write(queue.call, struct.pack("<Q", 1))
