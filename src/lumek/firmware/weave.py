"""One file for what a board always needs, and small ones for what it may need later.

The modules of Lumek are written to be read. A board has to keep a table for each of them, the names that each imports
from another, methods that its program never calls, and texts of errors that never come. So they are taken apart into
definitions (a function, a class, an assignment) and put together again, in these steps:

1. *Needed*: the definitions that the entry names lead to, and the methods that these call. They make the main file.
2. *Later*: methods of its classes that nothing there calls. A class loads them when one of them is asked for.
3. *Start*: what is called once, to make a panel. It is in a file that the board frees afterwards.
4. *Rest*: definitions that are imported when they are used. They stay in a file for each module.

What a name means is decided before anything moves (see `sources`), so a definition says the same wherever it is.
"""

import ast
from collections.abc import Iterable, Mapping, Sequence

from lumek.firmware.changes import (
    assigned,
    inherited_name,
    is_settable,
    later_name,
    merge,
    narrow_records,
    only_fails,
    stub_of,
    with_imports,
    without_checks,
    without_super,
)
from lumek.firmware.choices import ALSO_AT_START, ASIDE, COMMON, GROUPS, SELDOM
from lumek.firmware.choices import START as STARTS
from lumek.firmware.constants import constants_of, with_constants
from lumek.firmware.pieces import FAIL, GIVE_UP, LATER, PART, SETTABLE, START, Piece, attributes_of, looking, names_of
from lumek.firmware.placing import Placing, in_order
from lumek.firmware.sources import EXTERNAL, copied, module_of, nodes_in, references
from lumek.firmware.texts import Texts

STUBBED = {"__repr__", "__str__", "__iter__", "__contains__", "__delitem__", "__len__"}
"""Special methods that a board seldom calls: a class keeps a line for each, which calls what is loaded later."""


class Weave:
    """The portable modules that some entries lead to, put together for one board.

    system: "micropython" or "circuitpython".
    entries: full names that the main file has.
    rest: what else a program may import, in the main file or in others: full names, or modules for all that they have.
    checks: functions that check what was checked before; see `choices.CHECKS`.
    without: methods, by their names, that classes do not get.
    narrow: {full name of a table: the keys that are kept}.
    """

    def __init__(
        self,
        system: str,
        entries: Sequence[str],
        rest: Sequence[str] = (),
        checks: Mapping[str, int | None] | None = None,
        without: Iterable[str] = (),
        narrow: Mapping[str, set[object]] | None = None,
    ) -> None:
        self.system = system
        self.checks, self.without, self.narrow = checks or {}, set(without), narrow or {}
        self.order: list[str] = []
        self.public: dict[str, dict[str, str]] = {}
        self.pieces: dict[str, Piece] = {}
        self.texts = Texts()
        self._started: dict[int, ast.stmt] = {}
        self._load(["_later", "_failing", "errors", *[one.partition(":")[0] for one in [*entries, *rest]]])
        self.entries, self.wanted = set(entries), [one for one in rest if ":" not in one]
        self._flatten()
        self.main = self._closure(entries)
        for name in (LATER, PART):
            if self.pieces[name] not in self.main:
                self.main.insert(0, self.pieces[name])
        others = self._others()
        self._split([*self.main, *others])
        self.files = Placing(self.main, self.pieces, self.public, self.order).files(rest)

    # -- taking apart

    def _load(self, wanted: Iterable[str]) -> None:
        """All modules that may ever be asked for, in the order in which they import each other, as pieces."""
        definitions = []
        seen: set[str] = set()

        def visit(name: str) -> None:
            if name in seen or name == EXTERNAL:
                return
            seen.add(name)
            module = module_of(name, self.system)
            for meaning in module.names.values():
                visit(meaning.partition(":")[0])
            self.order.append(name)
            self.public[name] = module.names
            definitions.extend(module.definitions)
            for definition in module.definitions:
                for one in sorted(definition.later):
                    visit(one.partition(":")[0])

        for one in wanted:
            visit(one)
        constants = constants_of(definitions)
        self.constants = constants
        nodes = [with_constants(definition.node, constants) for definition in definitions]
        narrow_records(nodes)
        for definition, node in zip(definitions, nodes, strict=True):
            self._narrow(definition.names, node)
            node = without_checks(node, self.checks)
            if not ASIDE.intersection(definition.names):
                with_imports(node, ASIDE)
            piece = Piece(definition.module, definition.names, self.texts.taken_out(node))
            for member in [one for one in piece.members if isinstance(one, ast.FunctionDef)]:
                piece.origin[member.name] = definition.module
                if member.name in self.without:
                    piece.members.remove(member)
            for one in definition.names:
                self.pieces.setdefault(one, piece)

    def _narrow(self, names: tuple[str, ...], node: ast.stmt) -> None:
        keys = self.narrow.get(names[0]) if len(names) == 1 else None
        if keys is not None and isinstance(node, ast.Assign) and isinstance(node.value, ast.Dict):
            kept = [(key, value) for key, value in zip(node.value.keys, node.value.values, strict=True)
                    if isinstance(key, ast.Constant) and key.value in keys]  # fmt: skip
            node.value.keys, node.value.values = [key for key, _ in kept], [value for _, value in kept]

    def _flatten(self) -> None:
        """Give a class that has one subclass, and no other use, its place in that: a board keeps a table for each."""
        uses: dict[str, list[str]] = {}
        for piece in set(self.pieces.values()):
            for name in set(references(piece.node)) - set(piece.names):
                uses.setdefault(name, []).append(piece.names[0])
        for name in [one for one in self.pieces if isinstance(self.pieces[one].node, ast.ClassDef)]:
            piece = self.pieces[name]
            users = uses.get(name, [])
            known = name in self.entries or piece.module == "errors"  # programs may ask whether something is one
            if len(users) == 1 and not known and isinstance(self.pieces[users[0]].node, ast.ClassDef):
                heir = self.pieces[users[0]]
                if heir.bases == [name] and heir is not piece:
                    merge(piece, heir)

    # -- choosing

    def _closure(self, entries: Iterable[str]) -> list[Piece]:
        """The pieces that the entries lead to, in order; of classes the methods that are called, and the common ones.

        Classes of which the start makes objects belong here, too. What else only the start calls is noted as such.
        """
        found: dict[int, Piece] = {}
        kept: dict[int, ast.stmt] = {}
        wanted = set(entries)
        size = -1
        while size != (size := len(wanted) + len(found) + len(kept) + len(self._started)):
            found.update({id(one): one for one in map(self._piece, sorted(wanted)) if one is not None})
            alive: list[ast.AST] = []
            for piece in found.values():
                if isinstance(piece.node, ast.ClassDef):
                    alive += [*piece.node.bases, *piece.node.decorator_list]
                    alive += [one for one in piece.members if id(one) in kept]
                else:
                    alive.append(piece.node)
            wanted |= names_of(alive)
            called = attributes_of(alive)
            for name in names_of(self._started.values()):
                begun = self._piece(name)
                if begun is not None and isinstance(begun.node, ast.ClassDef):
                    wanted.add(name)
                elif begun is not None and id(begun) not in found:
                    self._started[id(begun)] = begun.node
            for piece in found.values():
                for member in piece.members:
                    if self._stays(piece, member, called):
                        kept[id(member)] = member
                        self._started.pop(id(member), None)
                    elif isinstance(member, ast.FunctionDef) and self._begins(piece, member):
                        self._started[id(member)] = member
        for piece in found.values():
            self._started.pop(id(piece), None)
        for node in self._started.values():
            self._without_checks(node)
        for piece in found.values():
            self._take_out(piece, kept)
        for name in (SETTABLE, GIVE_UP, FAIL):
            nodes = [piece.node for piece in found.values()] + list(self._started.values())
            if any(name in references(node) for node in nodes):
                found[id(self.pieces[name])] = self.pieces[name]
        return in_order(found.values(), self.pieces, self.order)

    def _piece(self, name: str) -> Piece | None:
        """The piece of a full name; None for what the interpreter brings."""
        if name not in self.pieces and not name.startswith(EXTERNAL):
            raise LookupError(f"there is no {name}")
        return self.pieces.get(name)

    def _stays(self, piece: Piece, member: ast.stmt, attributes: set[str], in_main: bool = True) -> bool:
        if not isinstance(member, ast.FunctionDef):
            return True
        name = piece.names[0]
        if any(member.name in self._defined(base) for base in self._bases(piece)):
            return True  # else the inherited one would be found
        if (in_main and self._begins(piece, member)) or member.name in SELDOM.get(name, ()) or member.name in STUBBED:
            return False
        if member.name.startswith("__") or member.name in attributes or member.name in COMMON.get(name, ()):
            return True
        decorated = [ast.unparse(one) for one in member.decorator_list]
        if "property" in decorated and not self._has_property(piece):
            return True  # MicroPython takes the first property of a class that has subclasses only as it is made
        return "staticmethod" in decorated or "classmethod" in decorated

    def _has_property(self, piece: Piece) -> bool:
        """Whether a class keeps a property, whatever is taken out of it."""
        return any(
            isinstance(one, ast.FunctionDef) and one.decorator_list
            and (is_settable(piece, one.name) or one.name in COMMON.get(piece.names[0], ()))
            for one in piece.members
        )  # fmt: skip

    def _defined(self, piece: Piece) -> set[str]:
        """The methods that a class has, or had, of its own."""
        return {one.name for one in piece.members if isinstance(one, ast.FunctionDef)} | set(piece.origin)

    def _begins(self, piece: Piece, member: ast.FunctionDef) -> bool:
        """Whether a method is called once, to make a panel."""
        methods = STARTS.get(piece.names[0], ())
        return member.name in methods or member.name in [inherited_name(one) for one in methods]

    def _take_out(self, piece: Piece, kept: Mapping[int, ast.stmt]) -> None:
        """Take the methods that nothing calls out of a class, and put a line in their place."""
        if not isinstance(piece.node, ast.ClassDef):
            return
        body: list[ast.stmt] = []
        for member in piece.members:
            if id(member) in kept or not isinstance(member, ast.FunctionDef):
                body.append(member)
                continue
            without_super(member, piece.node.bases[0] if piece.node.bases else None)
            where = START if id(member) in self._started else self._later_file(piece, member.name)
            decorators = [ast.unparse(one) for one in member.decorator_list]
            if member.name.startswith("__"):
                body.append(stub_of(member, piece.names[0]))
                member.name = later_name(member.name, piece.names[0])
            elif f"{member.name}.setter" in decorators:
                member.name, member.decorator_list = f"set_{member.name}", []
            elif decorators and is_settable(piece, member.name):
                body.append(assigned(member.name, SETTABLE))
                member.name, member.decorator_list = f"get_{member.name}", []
            piece.later.setdefault(where, []).append(member)
            if member.name in ALSO_AT_START.get(piece.names[0], ()):
                piece.later.setdefault(START, []).append(copied(member))
        piece.node.body = body or [ast.Pass()]

    def _later_file(self, piece: Piece, method: str) -> str:
        """The file of a method that is loaded later: that of its group, or one for each module."""
        name = later_module(piece.origin.get(method, piece.module), piece)
        return next((name for name, group in GROUPS.items() if method in group.get(piece.names[0], ())), name)

    def _others(self) -> list[Piece]:
        """Classes that are loaded later themselves, and have common methods: the others are taken out of them, too."""
        classes = [self.pieces[name] for name in COMMON if name in self.pieces]
        others = [piece for piece in classes if piece not in self.main]
        for piece in others:
            kept: dict[int, ast.stmt] = {}
            size = -1
            while size != (size := len(kept)):
                called = attributes_of(kept.values())
                kept.update({id(one): one for one in piece.members if self._stays(piece, one, called, False)})
            self._take_out(piece, kept)
        return others

    def _split(self, pieces: Iterable[Piece]) -> None:
        """Let each class find its methods that are loaded later."""
        for piece in pieces:
            if not piece.later:
                continue
            where: dict[str, list[str]] = {}
            for one in [piece, *self._bases(piece)]:
                for module, members in one.later.items():
                    also = ALSO_AT_START.get(one.names[0], set()) if module == START else set()
                    where.setdefault(module, []).extend([member.name for member in members if member.name not in also])
            piece.members.append(looking("self, name", "self", where))

    def _bases(self, piece: Piece) -> Iterable[Piece]:
        """The classes that a class inherits from."""
        for base in piece.bases:
            yield self.pieces[base]
            yield from self._bases(self.pieces[base])

    def _without_checks(self, node: ast.stmt) -> None:
        """Take out what a start checks, where that was checked when the hookup file was read."""
        for one in nodes_in(node) if self.checks else ():
            for field in ("body", "orelse"):
                statements = getattr(one, field, None)
                if isinstance(statements, list):
                    statements[:] = [part for part in statements if not only_fails(part)] or [ast.Pass()] * (
                        field == "body"
                    )


def later_module(module: str, piece: Piece) -> str:
    """The name of the file with methods of a class that are from a module."""
    return f"{module.replace('.', '_')}_{piece.names[0].partition(':')[2].lower().lstrip('_')}"
