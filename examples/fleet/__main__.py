"""A fleet of five simulated panels on one computer.

python examples/fleet starts the broker mosquitto, five hosts, and `lumek fleet watch`, which draws them, until Ctrl-C.
Meanwhile, from another terminal: lumek fleet show "*" "Honey is ready" --broker localhost:18884

With --for 10s it ends by itself. Needs mosquitto (apt install mosquitto) and the extra: pip install 'lumek[network]'.
"""

import shutil
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
    """Start everything, watch, and end everything."""
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
        time.sleep(2)
        try:
            return subprocess.call([*LUMEK, "fleet", "watch", "--broker", f"localhost:{PORT}", *sys.argv[1:]])
        except KeyboardInterrupt:
            return 0


def start(stack: ExitStack, command: list[str]) -> None:
    """Start a program, which is ended with the stack; Ctrl-C in the terminal is for the watching alone."""
    process = subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    stack.callback(process.wait)
    stack.callback(process.terminate)


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
