"""Names as levels of topics, and topics where an answer may go."""

import re

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.mqtt import BrokerMessage

NAME = re.compile(r"[^\x00-\x20\x7f-\x9f/+#$\ud800-\udfff]{1,60}")

LONGEST_TOPIC = 1000


def checked_topic(topic: str) -> str:
    """A topic without wildcards. Raises SettingError for anything else."""
    if not topic or any(sign in topic for sign in "+#\0") or len(topic) > LONGEST_TOPIC:
        raise SettingError(f"{quoted(topic)} is not a topic; wildcards (+ and #) are not allowed")
    return topic


def checked_name(name: str) -> str:
    """A name that is one level of a topic. Raises SettingError for anything else."""
    if not isinstance(name, str) or not NAME.fullmatch(name):
        raise SettingError(
            f"{quoted(name)} is not a name for a broker: use 1 to 60 characters, without blanks, '/', '+', '#' and '$'"
        )
    return name


def topic_level(name: str) -> str:
    """The name of a probe as one level of a topic."""
    return re.sub(r"[\x00-\x20/+#$]", "_", name)


def reply_topic(message: BrokerMessage, usual: str) -> str:
    """Where the answer to a message goes: to its response topic (MQTT 5), if that can be, or to the usual one."""
    topic = message.reply_topic
    if not topic or topic.startswith("$") or any(sign in topic for sign in "+#\0") or len(topic) > LONGEST_TOPIC:
        return usual
    return topic
