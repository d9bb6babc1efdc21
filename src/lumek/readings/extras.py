"""What some readings need and a plain installation lacks."""

from collections.abc import Iterator
from contextlib import contextmanager

from lumek.errors import PackageError


@contextmanager
def wanted_by(what: str, extra: str) -> Iterator[None]:
    """A block with imports: an import that fails names the extra of Lumek that brings the package.

    Raises PackageError, an ImportError.
    """
    try:
        yield
    except ModuleNotFoundError as problem:
        raise PackageError(f"{what} needs {problem.name}: pip install 'lumek[{extra}]'") from None
