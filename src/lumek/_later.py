"""What a class or module of a board has later: `lumek.firmware` takes it out, and puts it into files."""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


def part(file: "int | str") -> "Any":
    """A module of the package, by the number or name of its file: a board would keep each name, asked for or not."""
    import gc
    from sys import modules

    name = file if isinstance(file, str) else f"_{file}"
    whole = "lumek." + name
    if whole not in modules:
        gc.collect()  # so that what stays finds a place among what stays, and free memory is in one piece
        __import__(whole)
        if name != file:
            globals().pop(name, None)  # so that the package's table of names need not grow
    return modules[whole]


def later(thing: "Any", name: str, where: "tuple[Any, ...]") -> "Any":
    """An attribute that a class gets from a file, and then has; or, where `thing` is None, one of that file itself.

    where: files, each followed by the names that it brings, between blanks. Raises AttributeError for another name.
    """
    for at in range(1, len(where), 2):
        if f" {name} " in where[at]:
            module = part(where[at - 1])
            return getattr(module if thing is None else thing, name)
    raise AttributeError(name)


def give_up() -> None:
    """Give up what only the start of a panel needs, once it is done."""
    from sys import modules

    start: Any = modules.get("lumek.start")
    if start:
        start.end()


def settable(name: str) -> property:
    """A property whose getter and setter come later, as get_... and set_..."""
    return property(lambda thing: getattr(thing, "get_" + name)(), lambda thing, to: getattr(thing, "set_" + name)(to))


def once(file: "int | str", name: str) -> "Any":
    """What a file has, which is then given up: a table that is looked at, and not kept. So is the file of this."""
    from sys import modules

    module = part(file)
    for whole in (module.__name__, __name__):
        package, _, last = whole.rpartition(".")
        tables: Any = ((modules, whole), (modules[package].__dict__, last))
        for where, key in tables:
            where[key] = None  # a table of MicroPython's keeps the value of what is deleted
            del where[key]
    return getattr(module, name)
