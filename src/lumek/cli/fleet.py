"""lumek fleet: the panels on a broker."""

from lumek.cli.commands import Commands

command = Commands(
    "fleet",
    {
        "list": "List the panels, their hosts, and what they show.",
        "show": "Show a text on panels, and wait until it is on the glass.",
        "watch": "Draw what panels show, until Ctrl-C.",
    },
    """The panels on an MQTT broker: who is there, what they show, and texts to them.

    \b
    lumek fleet list --broker broker.example
    lumek fleet show terrace "Honey is ready"
    lumek fleet show "hive-*" "Storm at 18:00" --level urgent --for 1min
    lumek fleet watch
    """,
    prefix="fleet_",
)
