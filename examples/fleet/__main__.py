"""A fleet of five simulated panels on one computer.

python examples/fleet starts the broker mosquitto, five hosts, and `lumek fleet watch`, which draws them, until Ctrl-C.
Meanwhile, from another terminal: lumek fleet show "*" "Honey is ready" --broker localhost:18884

With --for 10s it ends by itself. Needs mosquitto (apt install mosquitto) and the extra: pip install 'lumek[network]'.
"""

import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from contextlib import ExitStack
from pathlib import Path

HERE = Path(__file__).parent
PORT = 18_884
HOSTS = "gate", "hive-1", "hive-2", "hive-3", "terrace"
LUMEK = [sys.executable, "-m", "lumek"]


def main() -> int:
    """Start everything, watch, and end everything, also when the terminal is closed."""
    stopped: list[int] = []
    for one in {"SIGINT", "SIGTERM", "SIGHUP"} & {*dir(signal)}:
        signal.signal(getattr(signal, one), lambda number, frame: stopped.append(number))
    broker = shutil.which("mosquitto", path="/usr/sbin:/usr/local/sbin:/usr/bin:/usr/local/bin:/opt/homebrew/sbin")
    if broker is None:
        print("this example needs the broker mosquitto: apt install mosquitto", file=sys.stderr)
        return 1
    with socket.socket() as other:
        if other.connect_ex(("127.0.0.1", PORT)) == 0:
            print(f"port {PORT} is in use; is another fleet still running?", file=sys.stderr)
            return 1
    with ExitStack() as stack:
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))
        (folder / "broker.conf").write_text(f"listener {PORT} 127.0.0.1\nallow_anonymous true\n")
        start(stack, [broker, "-c", str(folder / "broker.conf")])
        wait_for(PORT)
        for name in HOSTS:
            start(stack, [*LUMEK, "run", str(HERE / f"{name}.toml"), "--twin"])
        come_up = time.monotonic() + 2
        while time.monotonic() < come_up and not stopped:
            time.sleep(0.05)
        watch = start(stack, [*LUMEK, "fleet", "watch", "--broker", f"localhost:{PORT}", *sys.argv[1:]], seen=True)
        while watch.poll() is None and not stopped:
            time.sleep(0.05)
    if stopped:
        return 0 if stopped[0] == signal.SIGINT else 128 + stopped[0]
    return watch.returncode


def start(stack: ExitStack, command: list[str], seen: bool = False) -> subprocess.Popen[bytes]:
    """Start a program, which is ended with the stack. What is not seen has no terminal, nor its Ctrl-C."""
    file = None if seen else subprocess.DEVNULL
    process = subprocess.Popen(command, stdin=file, stdout=file, stderr=file, start_new_session=not seen)
    stack.callback(process.wait)
    stack.callback(process.terminate)
    return process


def wait_for(port: int) -> None:
    """Wait until somebody listens at a port."""
    for _ in range(100):
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            time.sleep(0.05)
    raise SystemExit(f"no broker at port {port}")


if __name__ == "__main__":
    sys.exit(main())
