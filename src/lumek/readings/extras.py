"""What some readings need and a plain installation lacks."""

from collections.abc import Iterator
from contextlib import contextmanager
from importlib.util import find_spec

from lumek.errors import PackageError


def lacking(what: str, extra: str, modules: tuple[str, ...]) -> str:
    """What is said when a module is not installed, or nothing when all are; without loading them."""
    missing = next((module for module in modules if find_spec(module) is None), None)
    return "" if missing is None else _said(what, missing, extra)


def _said(what: str, module: str | None, extra: str) -> str:
    return f"{what} needs {module}: pip install 'lumek[{extra}]'"


@contextmanager
def wanted_by(what: str, extra: str) -> Iterator[None]:
    """A block with imports: an import that fails names the extra of Lumek that brings the package.

    Raises PackageError, an ImportError.
    """
    try:
        yield
    except ModuleNotFoundError as problem:
        raise PackageError(_said(what, problem.name, extra)) from None
