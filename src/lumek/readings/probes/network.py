"""What is asked of settings of the network."""

import os
import ssl

from lumek._files import read_text
from lumek._harmless import quoted
from lumek.errors import SettingError

MOST_BYTES = 1_000_000
"""Of a file of certificates."""


def checked_port(port: int) -> int:
    """The number of a port, 1 to 65535; SettingError for another."""
    if not isinstance(port, int) or not 0 < port < 65536:
        raise SettingError(f"a port is 1 to 65535, not {quoted(port)}")
    return port


def trust(ca: str | os.PathLike[str] | None) -> ssl.SSLContext:
    """Whom to trust at the other end of TLS: the system's authorities, or one. SettingError for any other file."""
    try:
        return ssl.create_default_context(cadata=None if ca is None else read_text(ca, MOST_BYTES, "ascii"))
    except (OSError, ValueError) as problem:
        why = getattr(problem, "strerror", None) or problem
        raise SettingError(f"{ca} is not a certificate of an authority (PEM): {why}") from None
