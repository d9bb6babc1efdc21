"""Values from JSON documents on a web server."""

import os
import threading
from time import monotonic
from typing import Any

from lumek.errors import GarbledError, SettingError
from lumek.readings.clock import HOST_CLOCK, Clock
from lumek.readings.extras import wanted_by
from lumek.readings.probe import Taken
from lumek.readings.probes.document import MOST_BYTES, checked_pointer, document_of, pointed_at
from lumek.readings.probes.network import trust
from lumek.readings.probes.source import Source, SourceProbe
from lumek.readings.reading import told
from lumek.readings.settings import positive


class HttpJson(Source):
    """A JSON document behind an address; `probe` makes probes of values in it, which share what is fetched.

    url: http or https. shortest_s: the document is fetched again after that many seconds at the earliest. limit_s: the
    time that an answer may take as a whole. headers: sent with each request. ca: a file with the certificate of the
    authority to trust for https instead of the system's. Needs httpx and jsonpointer (PackageError without them).

    Whatever goes wrong is the flaw of the readings: no answer and no such value are missing; a document that is no
    JSON, or longer than 262144 bytes, is invalid. Raises SettingError for an address or certificate that cannot be.
    """

    def __init__(
        self,
        url: str,
        *,
        shortest_s: float = 1.0,
        limit_s: float = 5.0,
        headers: dict[str, str] | None = None,
        ca: str | os.PathLike[str] | None = None,
        clock: Clock = HOST_CLOCK,
    ) -> None:
        with wanted_by("HttpJson", "network"):
            import httpx
        try:
            scheme = httpx.URL(url).scheme
        except (httpx.InvalidURL, TypeError) as problem:
            raise SettingError(f"{url!r} is no address: {problem}") from None
        if scheme not in ("http", "https"):
            raise SettingError(f"{url!r} is no address: it begins with http:// or https://")
        self.url = url
        self.shortest_s = positive(shortest_s, "shortest_s", or_zero=True)
        self.limit_s = positive(limit_s, "limit_s")
        super().__init__(clock)
        self._client = httpx.Client(headers=headers, timeout=limit_s, verify=trust(ca), follow_redirects=True)
        self._lock = threading.Lock()
        self._document: Taken | None = None
        self._problem: Exception | None = None
        self._asked: float | None = None

    def probe(self, name: str, unit: str = "", *, pointer: str | None = None, **settings: Any) -> "HttpProbe":
        """A probe of the value at a JSON pointer (RFC 6901), "/hive/weight"; "" is a document that is a bare value.

        pointer: "/" and the probe's name by default. settings: those of `Probe`.
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
                raise (self._problem or LookupError(f"{self.url} was not fetched")).with_traceback(None)
            return self._document

    def _fetch(self) -> Any:
        import httpx

        latest = monotonic() + self.limit_s
        content = b""
        try:
            with self._client.stream("GET", self.url) as answer:
                if not answer.is_success:
                    raise ConnectionError(f"{self.url} answers {answer.status_code} {answer.reason_phrase}")
                for part in answer.iter_bytes():
                    content += part
                    if len(content) > MOST_BYTES:
                        raise GarbledError(f"{self.url} sends more than {MOST_BYTES} bytes")
                    if monotonic() > latest:
                        raise TimeoutError(f"{self.url} has not sent its document within {self.limit_s:g} s")
        except httpx.TimeoutException:
            raise TimeoutError(f"{self.url} does not answer within {self.limit_s:g} s") from None
        except httpx.HTTPError as problem:
            raise ConnectionError(f"no answer from {self.url}: {told(problem)}") from None
        return document_of(content)

    def close(self) -> None:
        """End it. A second time does nothing."""
        self._client.close()


class HttpProbe(SourceProbe[HttpJson]):
    """A value in a JSON document on a web server; `HttpJson.probe` makes it."""

    def __init__(self, source: HttpJson, name: str, unit: str, pointer: str, **settings: Any) -> None:
        super().__init__(source, name, unit, **settings)
        self._pointer = pointer

    def take(self) -> object:
        """The value in the document as it is now."""
        document = self.source.document()
        return Taken(pointed_at(document.value, self._pointer), document.at, document.time)
