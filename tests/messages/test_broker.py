"""Panels on a real broker: what they tell, what they take, and the fleet seen from the other side."""

import json
import os
import signal
import ssl
import subprocess
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import jinja2
import psutil
import pytest
import trustme

from lumek.cli import main
from lumek.messages import Desk
from lumek.messages.fleet import Fleet, Sending
from lumek.messages.opened import OpenDesk
from support.broker import Broker, Message, broker, free_port, listener
from support.waiting import until

HIVE = """[deck]
size = "16x2"
page_s = 600
refresh_hz = 20
[probes]
weight = {{ simulated = {{ value = 41.4 }}, unit = "kg" }}
[broker]
host = "127.0.0.1"
port = {port}
name = "{name}"
every_s = 0.05
{more}
[messages]
seconds = 0.3
[faces.hive]
text = "Hive 3"
fields = [{{ kind = "bar", of = "weight", row = 1, low = 30, high = 50 }}]
[faces.other]
text = "other"
"""


RIGHTS = """user bee
topic write lumek/host/hive/#
topic write lumek/client/+/answer
topic write lumek/panel/hive/#
topic read lumek/say
topic read lumek/host/hive/faces
topic read lumek/panel/hive/say
user queen
topic read lumek/#
topic write lumek/say
topic write lumek/panel/+/say
"""
"""What docs/fleet.md says that a host and a sender need."""


@contextmanager
def host(
    folder: Path, port: int, name: str = "hive", more: str = "", **settings: str
) -> Iterator[subprocess.Popen[str]]:
    """`lumek run` on a simulated panel, until the end of the block."""
    file = folder / f"{name}.toml"
    file.write_text(HIVE.format(port=port, name=name, more=more))
    command = [sys.executable, "-m", "lumek", "run", str(file), "--twin"]
    environment = os.environ | settings
    with subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environment
    ) as process:
        try:
            yield process
        finally:
            if process.poll() is None:
                process.send_signal(signal.SIGINT)
            process.communicate(timeout=120)


def last(came: list[Message], topic: str) -> Any:
    """What was said last at a topic; None for nothing."""
    found = [one.payload for one in list(came) if one.topic == topic]
    return None if not found else json.loads(found[-1]) if found[-1][:1] == b"{" else found[-1].decode()


def fleet(capsys: pytest.CaptureFixture[str], *arguments: str, code: int = 0) -> tuple[str, str]:
    """What `lumek fleet` prints."""
    with pytest.raises(SystemExit) as ended:
        main(["fleet", *arguments])
    out, err = capsys.readouterr()
    assert ended.value.code == code, err
    return out, err


def test_a_host_tells_what_its_panel_shows_and_that_it_is_gone(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    port = free_port()
    with broker(tmp_path, port), listener(port, "lumek/#", "hub/#") as (client, came):
        with host(tmp_path, port, more='discovery = "hub"') as process:
            until(lambda: (last(came, "lumek/panel/hive/state") or {}).get("face") == "hive")
            state = last(came, "lumek/panel/hive/state")
            assert (state["rows"][0], state["size"], state["rom"], state["faces"]) == (
                "Hive 3          ", "16x2", "A00", ["hive", "other"],
            )  # fmt: skip
            until(lambda: (last(came, "lumek/host/hive/readings/weight") or {}).get("value"))
            until(lambda: last(came, "lumek/panel/hive/state")["drawings"])
            drawings = last(came, "lumek/panel/hive/state")["drawings"]
            assert sum(map(len, drawings.values())) == 10  # the bar: 41.4 of 30 to 50
            reading = last(came, "lumek/host/hive/readings/weight")
            assert (reading["value"], reading["unit"], reading["flaw"]) == (41.4, "kg", None)
            assert last(came, "lumek/panel/hive/health")["errors"] == 0
            assert last(came, "lumek/host/hive/available") == "online"
            client.publish("lumek/panel/hive/say", '{"text": "Honey", "light": false, "id": "h"}', 1)
            until(lambda: last(came, "lumek/panel/hive/say/answer"))
            assert last(came, "lumek/panel/hive/say/answer")["state"] == "shown"
            until(lambda: last(came, "lumek/panel/hive/state")["message"] == "h")
            shown = last(came, "lumek/panel/hive/state")
            assert (shown["rows"][0].strip(), shown["light"], shown["face"]) == ("Honey", False, None)
            look_as_a_hub_does(client, came)
            assert "hive   hive  16x2  online" in fleet(capsys, "list", "--broker", f"127.0.0.1:{port}")[0]
            place = ("--broker", f"127.0.0.1:{port}", "--level", "urgent")
            assert fleet(capsys, "show", "h*", "Honey", *place)[0] == "shown on 1 of 1 panel\n"
            process.kill()
        until(lambda: last(came, "lumek/host/hive/available") == "offline")
        schema = json.loads((Path(__file__).parents[2] / "docs/fleet-schema.json").read_text())
        models = {"state": "PanelState", "health": "PanelHealth", "weight": "HostReading", "answer": "Answer"}
        for one in came:
            name = models.get(one.topic.rsplit("/", 1)[1])
            if name is not None and one.topic.startswith("lumek/"):
                assert set(json.loads(one.payload)) <= set(schema["$defs"][name]["properties"])


def look_as_a_hub_does(client: Any, came: list[Message]) -> None:
    """Find the entities, render their templates as a hub does, and use them."""
    until(lambda: len([one for one in came if one.topic.startswith("hub/")]) >= 4)
    render = jinja2.Environment(undefined=jinja2.StrictUndefined, autoescape=False)
    found = {one.topic.split("/")[1]: json.loads(one.payload) for one in came if one.topic.startswith("hub/")}
    assert sorted(found) == ["light", "select", "sensor", "text"]

    def shows(kind: str, key: str = "value_template") -> str:
        value = last(came, found[kind]["state_topic"])
        return render.from_string(found[kind][key]).render(value_json=value)

    assert (shows("text"), shows("sensor"), found["sensor"]["unit_of_measurement"]) == ("Honey", "41.4", "kg")
    assert shows("light", "state_template") == "off"
    for kind, key, value in (
        ("text", "command_template", 'Queen "seen"'), ("light", "command_on_template", ""),
        ("select", "command_template", "other"),
    ):  # fmt: skip
        count = len(came)
        client.publish(found[kind]["command_topic"], render.from_string(found[kind][key]).render(value=value), 1)
        until(lambda count=count: any(one.topic.endswith("/answer") for one in came[count:]))
        answer = last(came, "lumek/panel/hive/say/answer")
        assert answer["state"] in ("shown", "done"), answer
    client.publish("lumek/panel/hive/say", '{"clear": true}', 1)
    until(lambda: shows("select") == "other")


def test_faces_by_the_broker_are_checked_and_the_old_ones_stay_when_they_are_refused(tmp_path: Path) -> None:
    port, secret = free_port(), tmp_path / "secret"
    secret.write_text("honeypot")
    taking = host(tmp_path, port, more="faces = true")
    with broker(tmp_path, port), listener(port, "lumek/#") as (client, came), taking:
        until(lambda: (last(came, "lumek/panel/hive/state") or {}).get("face") == "hive")
        for text, why in (
            ("[faces.sent\n", "is not TOML"),
            ('[faces.sent]\ntext = "x"\nfield = 3', "has no key 'field'"),
            ('[faces.sent]\nfields = [{ kind = "number", of = "depth", row = 0 }]', "depth"),
            ('[faces.sent]\ntext = "a\\nb\\nc"', "3 rows"),
            (f'[sources.x]\nkind = "replay"\nfile = "{secret}"\n[faces.sent]\ntext = "x"', "no table [sources]"),
            (f'[faces.sent]\ntext = "x"\n[glyphs]\nsets = ["{secret}"]', "sets = "),
            ('[faces.sent]\ntext = "x"\n[deck]\nhookup = "x.toml"', "[deck] hookup belongs to the host's own file"),
            ('[faces.sent]\ntext = "x"\n[probes]\nd = { source = "nowhere" }', "nowhere"),
            ('[deck]\npage_s = 3', "has no face"),
            (b"\xff\xfe", "not text in UTF-8"),
        ):  # fmt: skip
            count = len(came)
            client.publish("lumek/host/hive/faces", text, 1, retain=True)
            until(lambda count=count: any(one.topic.endswith("faces/answer") for one in came[count:]), str(text))
            answer = last(came, "lumek/host/hive/faces/answer")
            assert (answer["state"], why in answer["why"], "honeypot" in str(answer)) == ("refused", True, False), (
                answer
            )
        assert last(came, "lumek/panel/hive/state")["face"] == "hive"
        client.publish("lumek/panel/hive/say", '{"text": "stays", "seconds": 600, "id": "s"}', 1)
        until(lambda: last(came, "lumek/panel/hive/state")["message"] == "s")
        client.publish(
            "lumek/host/hive/faces", '[faces.sent]\ntext = "Sent"\n[deck]\npage_s = 3\nrefresh_hz = 20', 1, True
        )
        until(lambda: last(came, "lumek/host/hive/faces/answer")["state"] == "taken")
        until(lambda: last(came, "lumek/panel/hive/state")["faces"] == ["sent"])
        assert last(came, "lumek/panel/hive/state")["rows"][0].strip() == "stays"
        client.publish("lumek/panel/hive/say", '{"clear": true}', 1)
        until(lambda: last(came, "lumek/panel/hive/state")["rows"][0].strip() == "Sent")


@pytest.mark.slow
def test_a_fleet_is_listed_watched_and_spoken_to(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    port = free_port()
    place = ("--broker", f"127.0.0.1:{port}")
    with broker(tmp_path, port), ExitStack() as stack, Fleet("127.0.0.1", port) as seen:
        assert "no panels on this broker" in fleet(capsys, "list", *place)[0]
        names = ["gate", "hive-1", "hive-2"]
        more = {"hive-1": 'version = "3.1.1"', "gate": 'allow = ["text", "face"]'}
        processes = [stack.enter_context(host(tmp_path, port, name, more.get(name, ""))) for name in names]
        until(lambda: sorted(seen.members) == names)
        out, _ = fleet(capsys, "list", *place)
        assert [line.split()[:4] for line in out.splitlines()[1:]] == [[one, one, "16x2", "online"] for one in names]
        assert [one["panel"] for one in json.loads(fleet(capsys, "list", "--json", *place)[0])] == names
        out, err = fleet(capsys, "show", "*", "Honey 蜂", *place)
        assert (out, err.count("shows '?' for '蜂'")) == ("shown on 3 of 3 panels\n", 3)
        assert fleet(capsys, "show", "hive-?", '{"face": "other"}', *place)[0] == "shown on 2 of 2 panels\n"
        _, err = fleet(capsys, "show", "gate", '{"face": "no\\u001b[2J"}', *place, code=1)
        assert "gate: refused: face" in err
        assert "\x1b" not in err
        _, err = fleet(capsys, "show", "*", '{"next": true}', *place, code=1)
        assert ("gate: refused: next is not allowed here" in err, "not shown on 1 of 3" in err) == (True, True)
        assert "panels: gate, hive-1, hive-2" in fleet(capsys, "show", "roof", "x", *place, code=1)[1]
        assert "has no key 'txt'" in fleet(capsys, "show", "gate", '{"txt": 1}', *place, code=2)[1]
        older = tmp_path / "older.toml"
        older.write_text(f'[broker]\nhost = "127.0.0.1"\nport = {port}\nversion = "3.1.1"')
        assert fleet(capsys, "show", "*", "Honey", "--broker", str(older))[0] == "shown on 3 of 3 panels\n"
        processes[0].kill()
        until(lambda: not seen.is_online("gate"))
        _, err = fleet(capsys, "show", "*", "Storm", "--wait", "1s", "--level", "urgent", *place, code=1)
        assert "not shown on 1 of 3: no answer from gate (offline)" in err
        out, _ = fleet(capsys, "watch", "hive-*", "--for", "1s", *place)
        assert out.splitlines()[0].startswith("hive-1: ")
        state = seen.members["gate"].state.model_copy(update={"panel": "evil", "rows": ["\x1b[2Jx", "\u202ey"]})
        seen._connection.publish("lumek/panel/evil/state", state.json_text(), 1, retain=True)
        seen._connection.publish("lumek/panel/worse/state", b"{" * 1000, 1, retain=True)
        until(lambda: "evil" in seen.members)
        for command in (["list"], ["watch", "--for", "1s"]):
            out, _ = fleet(capsys, *command, *place)
            assert ("evil" in out, "\x1b" in out, "\u202e" in out) == (True, False, False)
        seen._connection.publish("lumek/panel/evil/state", b"", 1, retain=True)
        until(lambda: "evil" not in seen.states())
        assert not seen.is_online("evil")
    for there, why, code in (("127.0.0.1:x", "the port must be a number", 2), ("[::1]:18999", "::1 port 18999: ", 1)):
        assert why in fleet(capsys, "list", "--broker", there, code=code)[1]


@pytest.mark.slow
def test_a_broker_with_tls_and_a_password_and_secrets_stay_secret(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    authority, port = trustme.CA(), free_port()
    authority.cert_pem.write_to_path(tmp_path / "ca.pem")
    certificate = authority.issue_cert("127.0.0.1")
    certificate.private_key_pem.write_to_path(tmp_path / "key.pem")
    certificate.cert_chain_pems[0].write_to_path(tmp_path / "cert.pem")
    passwords = tmp_path / "passwords"
    rights = tmp_path / "rights"
    rights.write_text(RIGHTS)
    for options, user in ((["-c"], "bee"), ([], "queen")):
        subprocess.run(["mosquitto_passwd", "-b", *options, str(passwords), user, "nectar"], check=True)
    locked = (f"certfile {tmp_path}/cert.pem", f"keyfile {tmp_path}/key.pem", f"password_file {passwords}",
              f"acl_file {rights}", "allow_anonymous false")  # fmt: skip
    more = 'ca = "ca.pem"\nuser = "bee"\npassword_from = "env:HIVE"'
    with broker(tmp_path, port, *locked), host(tmp_path, port, more=more, HIVE="nectar") as process:
        monkeypatch.setenv("LUMEK_PASSWORD", "nectar")
        options = ("--broker", f"127.0.0.1:{port}", "--user", "queen", "--ca", str(tmp_path / "ca.pem"))
        until(lambda: "online" in fleet(capsys, "list", *options)[0])
        assert fleet(capsys, "show", "*", "Honey", *options)[0] == "shown on 1 of 1 panel\n"
        for environment in ("comm", "cmdline"):
            assert "nectar" not in Path(f"/proc/{process.pid}/{environment}").read_text()
        monkeypatch.setenv("HIVE", "wax")
        monkeypatch.setattr("lumek.cli.fleet_options.GATHER_S", 2.0)
        _, err = fleet(capsys, "list", "--broker", str(tmp_path / "hive.toml"), code=1)
        assert ("refuses" in err, "wax" in err) == (True, False)
        with pytest.raises(SystemExit):
            main(["run", str(tmp_path / "hive.toml"), "--check"])
        out, err = capsys.readouterr()
        assert "[broker]  127.0.0.1" in out
        assert not {secret for secret in ("nectar", "wax") if secret in out + err}
    assert ssl.OPENSSL_VERSION


@pytest.mark.slow
def test_a_broker_that_is_killed_and_back_loses_no_answer_and_repeats_no_id(tmp_path: Path) -> None:
    port = free_port()
    with broker(tmp_path, port) as one, host(tmp_path, port), Fleet("127.0.0.1", port) as seen:
        until(lambda: "hive" in seen.members)
        kill_under_load(one, seen, times=3)


def kill_under_load(one: Broker, seen: Fleet, times: int) -> None:
    for number in range(times):
        message = {"text": f"message {number}", "seconds": 0.05, "id": f"m{number}"}
        sending = seen.send(["hive"], message)
        one.kill()
        one.start()

        def answered(sending: Sending = sending) -> bool:
            if not sending.wait(2):
                seen.repeat(sending)
            return bool(sending.answers)

        until(answered)
        assert sending.answers["hive"].state == "shown"


def test_what_is_not_possible_in_the_tables_is_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for more, why in (
        ('[broker]\nhost = "x"\nname = "a/b"', "'a/b' is not a name for a broker"),
        ('[broker]\nhost = "x"\nversion = "4"', "'3.1.1' or '5'"),
        ('[broker]\nhost = "x"\npassword_from = "env:NO_SUCH"', "the environment has no variable NO_SUCH"),
        ("[messages]\nqueue = 0", "1 to 10000"),
        ('[messages]\nallow = ["talk"]', "'text', 'face'"),
        ('[messages.from.a]\nkind = "htp"\nport = 80', "'mqtt', 'http'"),
        ('[messages.from.a]\nkind = "http"\nport = 99999', "1 to 65535"),
        ('[messages.from.a]\nkind = "http"\nport = 80\nhost = "::"', "a token is required: token_from = 'env:NAME'"),
        ('[messages.from.a]\nkind = "http"\nport = 80\ntoken = 7', "token is not possible"),
        ('[messages]\nrecord = "no/such/folder"', "the record"),
        ('[sources.b]\nkind = "input"\n[messages.from.a]\nkind = "input"', "both read standard input"),
    ):  # fmt: skip
        file = tmp_path / "hive.toml"
        file.write_text(f'[faces.hive]\ntext = "x"\n{more}')
        with pytest.raises(SystemExit) as ended:
            main(["run", str(file), "--twin", "--for", "1s"])
        err = capsys.readouterr().err
        assert (ended.value.code, why in err, err.count("\n")) == (2, True, 1), err


@pytest.mark.slow
def test_the_fleet_of_the_examples_comes_up_with_one_command() -> None:
    command = [sys.executable, str(Path(__file__).parents[2] / "examples/fleet"), "--for", "3s"]
    done = subprocess.run(command, capture_output=True, text=True, timeout=120, check=True)
    shown = {line.partition(":")[0] for line in done.stdout.splitlines()}
    assert (shown, done.stderr) == ({"gate", "hive-1", "hive-2", "hive-3", "terrace"}, "")
    for ends, code in ((signal.SIGTERM, 143), (signal.SIGHUP, 129), (signal.SIGINT, 0)):
        fleet = subprocess.Popen(command[:2], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, start_new_session=True)
        until(lambda: hosts() == 5, "all hosts are started")
        (os.killpg if ends == signal.SIGINT else os.kill)(fleet.pid, ends)  # the terminal sends Ctrl-C to all
        assert (fleet.communicate(timeout=60)[1], fleet.returncode) == (b"", code)
        assert hosts() == 0


def hosts() -> int:
    return sum(
        "run" in (process.info["cmdline"] or ())
        for process in psutil.process_iter(["cmdline"])
        if "examples/fleet/" in " ".join(process.info["cmdline"] or ())
    )


def test_a_trouble_is_reported_once_it_lasts_and_when_it_is_over(caplog: pytest.LogCaptureFixture) -> None:
    class Way:
        trouble = ""

    way = Way()
    desk = OpenDesk(Desk(), {"phone": way})
    for second, trouble in enumerate(("yet", "", "gone", "", "gone", "gone", "gone", "gone", "", "", "", "")):
        way.trouble = trouble
        desk.tell(float(second))
    assert [one.getMessage() for one in caplog.records] == [
        "messages from phone: gone",
        "messages from phone: working again",
    ]
