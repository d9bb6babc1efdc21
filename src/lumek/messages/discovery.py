"""What a home-automation hub is told, so that it finds panels and readings by itself (MQTT discovery).

Each entity is a retained message at PREFIX/KIND/DEVICE/ENTITY/config. Its templates are Jinja, which the hub renders.
"""

from collections.abc import Iterator, Mapping
from json import dumps
from typing import TYPE_CHECKING, Any

from lumek.messages.topics import topic_level
from lumek.readings.reading import Reading

if TYPE_CHECKING:
    from lumek.messages.seen import Seen

LONGEST_TEXT = 255
"""Characters of a text that a hub sends."""


def entities(
    prefix: str, root: str, host: str, panels: "Mapping[str, Seen]", readings: Mapping[str, Reading]
) -> Iterator[tuple[str, str]]:
    """Topics and payloads: of each panel its text, its light and its page; of each reading its value.

    prefix: at which the hub looks.
    panels: by their names on the broker.
    """
    available = {"availability_topic": f"{root}/host/{host}/available"}

    def entity(kind: str, device: str, what: str, model: str, settings: Mapping[str, Any]) -> tuple[str, str]:
        id = f"{_plain(root)}_{_plain(device)}"
        told = {
            "unique_id": f"{id}_{_plain(what)}", "name": what, **available, **settings,
            "device": {"identifiers": [id], "name": device, "manufacturer": "Lumek", "model": model},
        }  # fmt: skip
        return f"{prefix}/{kind}/{id}/{_plain(what)}/config", dumps(told)

    for name, one in panels.items():
        place = f"{root}/panel/{name}"
        model = f"character panel {one.panel.size}"
        topics = {"state_topic": f"{place}/state", "command_topic": f"{place}/say"}
        yield entity("text", name, "text", model, {
            **topics, "max": LONGEST_TEXT, "command_template": '{"text": {{ value | tojson }}}',
            "value_template": "{{ value_json.rows | map('trim') | join(' ') | trim }}",
        })  # fmt: skip
        yield entity("light", name, "light", model, {
            **topics, "schema": "template", "command_on_template": '{"light": true}',
            "command_off_template": '{"light": false}',
            "state_template": "{{ 'on' if value_json.light else 'off' }}",
        })  # fmt: skip
        if one.faces:
            yield entity("select", name, "page", model, {
                **topics, "options": list(one.faces), "command_template": '{"face": {{ value | tojson }}}',
                "value_template": "{{ value_json.face if value_json.face in value_json.faces else '' }}",
            })  # fmt: skip
    for probe, reading in readings.items():
        settings: dict[str, Any] = {
            "state_topic": f"{root}/host/{host}/readings/{topic_level(probe)}",
            "value_template": "{{ value_json.value if value_json.text is none else value_json.text }}",
        }
        if reading.unit:
            settings["unit_of_measurement"] = reading.unit
        yield entity("sensor", host, probe, "host of panels", settings)


def _plain(name: str) -> str:
    """A name of letters, digits, dashes and underlines, as ids of hubs have them."""
    return "".join([one if one.isascii() and (one.isalnum() or one in "-_") else "_" for one in name])
