"""What is asked of settings of the network."""

import os
import ssl

from lumek.errors import SettingError


def checked_port(port: int) -> int:
    """The number of a port, 1 to 65535; SettingError for another."""
    if not isinstance(port, int) or not 0 < port < 65536:
        raise SettingError(f"a port is 1 to 65535, not {port!r}")
    return port


def trust(ca: str | os.PathLike[str] | None) -> ssl.SSLContext:
    """Whom to trust on the other end of TLS: the system's authorities, or one. SettingError for a file that is none."""
    try:
        return ssl.create_default_context(cafile=ca)
    except (OSError, ssl.SSLError) as problem:
        raise SettingError(f"{ca} is no certificate of an authority (PEM): {problem.strerror or problem}") from None
