"""Values from JSON documents on a web server."""

import os
import re
import socket
import threading
from collections.abc import Mapping
from contextlib import suppress
from time import monotonic
from typing import Any, Unpack

from lumek._harmless import quoted
from lumek.errors import GarbledError, SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.probe import SourceSettings, Taken
from lumek.readings.probes.document import MOST_BYTES, checked_pointer, document_of, pointed_at
from lumek.readings.probes.network import trust
from lumek.readings.probes.source import Source, SourceProbe
from lumek.readings.reading import one_line
from lumek.readings.settings import duration
from lumek.readings.time_source import HOST_CLOCK, TimeSource

MOST_REDIRECTS = 5
PORTS = {"http": 80, "https": 443}


class HttpJson(Source):
    """A JSON document on a web server. `probe` makes probes of values in it, which share what is fetched.

    What goes wrong is the flaw of the readings: no answer and no such value are missing; a document that is not
    JSON, is compressed, or is longer than 262,144 bytes, is invalid. Causes name the address without user, password and
    what follows a "?". A redirect is followed on the same host and port alone, or from http to https there. Needs httpx
    and jsonpointer (PackageError without them).

    url: an address, as 'http://hive.example/now'.
    shortest_s: seconds, 0 to 100000000, from one request to the next at least.
    limit_s: seconds, 0.001 to 100000000, that an answer may take as a whole, once the name of the host is found.
    headers: a table of name = 'text', sent with each request.
    private: true or false: the path of the address is secret, too; causes name the host alone.
    ca: the path of a file with the certificate of the authority to trust, instead of those of the system.
    clock: the clock that readings are dated by; default: the host's.
    Raises SettingError for an address or certificate that is not possible.
    """

    kind = "http"
    extra = "network"
    modules = ("httpx", "jsonpointer")

    def __init__(
        self,
        url: str,
        *,
        shortest_s: float = 1.0,
        limit_s: float = 5.0,
        headers: dict[str, str] | None = None,
        private: bool = False,
        ca: str | os.PathLike[str] | None = None,
        clock: TimeSource = HOST_CLOCK,
    ) -> None:
        with wanted_by("HttpJson", "network"):
            import httpx
        try:
            self._url = httpx.URL(url)
        except (httpx.InvalidURL, TypeError, ValueError) as problem:
            public = self.place_of({"url": url, "private": private})
            raise SettingError(f"{quoted(public)} is not an address: {type(problem).__name__}") from None
        self._private = private
        self._shown = self._named(self._url)
        if self._url.scheme not in ("http", "https") or not self._url.host:
            raise SettingError(
                f"{quoted(self._shown)} is not an address: it begins with http:// or https://, then a host"
            )
        self.url = url
        self.shortest_s = duration(shortest_s, "shortest_s", or_zero=True)
        self.limit_s = duration(limit_s, "limit_s")
        super().__init__(clock)
        try:
            # A compressed document of a few bytes may fill the memory, so none is asked for, and none is taken.
            self._client = httpx.Client(headers={**(headers or {}), "Accept-Encoding": "identity"}, timeout=limit_s,
                                        verify=trust(ca))  # fmt: skip
        except (TypeError, ValueError) as problem:
            raise SettingError(f"these headers cannot be sent: {problem}") from None
        self._socket: Any = None
        self._lock = threading.Lock()
        self._document: Taken | None = None
        self._problem: Exception | None = None
        self._asked: float | None = None

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The address, for people: without user, password and what follows a "?"; of a private one the host alone."""
        public = re.sub(r"//[^/]*@", "//...@", str(settings["url"]).partition("?")[0])
        return "/".join([*public.split("/")[:3], "..."]) if settings.get("private") else public

    def probe(
        self, name: str, unit: str = "", *, pointer: str | None = None, **settings: Unpack[SourceSettings]
    ) -> "HttpProbe":
        """A probe of a value in the document.

        name, unit: as those of `Probe`.
        pointer: a JSON pointer, as '/hive/weight' (RFC 6901), '' for a document that is a bare value; default: '/' and
            the name of the probe.
        settings: those of `Probe`.
        Raises SettingError for a pointer that is not possible.
        """
        return HttpProbe(self, name, unit, checked_pointer(f"/{name}" if pointer is None else pointer), **settings)

    def document(self) -> Taken:
        """The document, fetched if the last one is too old. Raises what went wrong when it was fetched."""
        with self._lock:
            now = self.clock.elapsed()
            if self._asked is None or now - self._asked >= self.shortest_s:
                self._asked, self._document, self._problem = now, None, None
                try:
                    self._document = Taken(self._fetch(), now, self.clock.time())
                except Exception as problem:
                    self._problem = problem
            if self._document is None:
                raise (self._problem or LookupError(f"{self._shown} was not fetched")).with_traceback(None)
            return self._document

    def _fetch(self) -> Any:
        """The document, in one time that holds for all of it: a watch ends the connection, whatever is waited for."""
        latest = monotonic() + self.limit_s
        late = threading.Timer(self.limit_s, self._hang_up)
        late.daemon = True
        late.start()
        try:
            return document_of(self._followed(latest))
        finally:
            late.cancel()

    def _followed(self, latest: float) -> bytes:
        import httpx

        url = self._url
        try:
            for _ in range(MOST_REDIRECTS + 1):
                with self._client.stream("GET", url, extensions={"trace": self._note_socket}) as answer:
                    if not answer.has_redirect_location:
                        return self._content(answer, latest)
                    url = self._next(url, url.join(answer.headers["Location"]))
        except GarbledError:
            raise
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as problem:
            if isinstance(problem, httpx.TimeoutException) or monotonic() >= latest:
                raise TimeoutError(f"{self._shown} has not sent its document within {self.limit_s:g} s") from None
            raise ConnectionError(f"no answer from {self._shown}: {one_line(problem)}") from None
        raise ConnectionError(f"{self._shown} redirects more than {MOST_REDIRECTS} times")

    def _content(self, answer: Any, latest: float) -> bytes:
        if not answer.is_success:
            raise ConnectionError(f"{self._shown} answers {answer.status_code} {answer.reason_phrase}")
        encoding = answer.headers.get("Content-Encoding", "identity")
        if encoding.lower() != "identity":
            raise GarbledError(f"{self._shown} sent a compressed document ({quoted(encoding)}), which is not accepted")
        content = bytearray()
        for part in answer.iter_raw():
            content += part
            if len(content) > MOST_BYTES:
                raise GarbledError(f"{self._shown} sends more than {MOST_BYTES} bytes")
        if monotonic() >= latest:  # the watch has ended it, which looks like its end
            raise TimeoutError(f"{self._shown} has not sent its document within {self.limit_s:g} s")
        return bytes(content)

    def _next(self, url: Any, other: Any) -> Any:
        """Where a redirect leads to. Raises ConnectionError for another place, to which no header is to go."""
        places = [(one.scheme, one.host, one.port or PORTS.get(one.scheme)) for one in (url, other)]
        if places[0] == places[1] or (
            places[0] == ("http", url.host, 80) and places[1] == ("https", url.host, 443)
        ):  # fmt: skip
            return other
        raise ConnectionError(
            f"{self._shown} redirects to another host or port: use {self._named(other)} if you trust it"
        )

    def _named(self, url: Any) -> str:
        """An address for people; of a private one the host alone."""
        return self.place_of({"url": url, "private": True}) if self._private else shown(url)

    def _note_socket(self, event: str, info: Any) -> None:
        """Remember the connection as it comes about (httpx's request extension "trace")."""
        if event in ("connection.connect_tcp.complete", "connection.start_tls.complete"):
            self._socket = info["return_value"].get_extra_info("socket")

    def _hang_up(self) -> None:
        with suppress(AttributeError, OSError):  # there is none, or it has ended
            self._socket.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        """End it. A second time does nothing."""
        self._client.close()


class HttpProbe(SourceProbe[HttpJson]):
    """A value in a JSON document on a web server; `HttpJson.probe` makes it."""

    def __init__(
        self, source: HttpJson, name: str, unit: str, pointer: str, **settings: Unpack[SourceSettings]
    ) -> None:
        super().__init__(source, name, unit, **settings)
        self._pointer = pointer

    def take(self) -> object:
        """The value in the document as it is now."""
        document = self.source.document()
        return Taken(pointed_at(document.value, self._pointer), document.at, document.time)


def shown(url: Any) -> str:
    """An address for people: without user, password, and what follows a "?", which may be a token."""
    port = f":{url.port}" if url.port else ""
    return f"{url.scheme}://{url.host}{port}{url.path}{'?...' if url.query else ''}"
