"""Pieces as text of files: each name written as it is known there, private ones as short as they can be."""

import ast
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import product

from lumek.firmware.choices import HARDWARE, INNER, INTERNAL, TRANSIENT
from lumek.firmware.pieces import (
    END,
    FILE,
    MAIN,
    NAMES,
    ONCE,
    PART,
    START,
    WHOLE,
    Piece,
    imported_by,
    looking,
    names_of,
)
from lumek.firmware.sources import EXTERNAL, PACKAGE, WHEN_USED, copied, nodes_in
from lumek.firmware.weave import Weave

BUILT_IN = {
    name for kind in (str, bytes, bytearray, list, tuple, dict, set, range, slice, int, float, property, BaseException)
    for name in dir(kind)
}  # fmt: skip
"""Attributes that objects have which are not Lumek's."""

LETTERS = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"


class Files:
    """The texts of the files of a weave: module -> text.

    public: names that the main file must have as they are: identifier -> full name.
    packages: what packages besides have: {package: {identifier: full name}}.
    numbers: of the files whose names are numbers, by module; see `_later.part`.
    """

    def __init__(
        self, weave: Weave, public: Mapping[str, str], packages: Mapping[str, Mapping[str, str]], shorten: bool = True
    ) -> None:
        self._weave = weave
        self._placed = {name: MAIN for piece in weave.main for name in piece.names}
        for module, pieces in weave.files.items():
            self._placed.update({name: module for piece in pieces for name in piece.names})
        self._shorten = shorten
        self._short: dict[str, str] = {}
        if shorten:
            self._shorten_attributes()
        late = [one for one in weave.files if one != START and one not in weave.wanted]
        # A package has its modules as names, too: these differ from those of the main file.
        self.numbers = {one: number for number, one in enumerate(late)} if shorten else {}
        named = [public, *packages.values(), *[weave.public[module] for module in weave.wanted]]
        self._ids = self._identifiers(public, {full for names in named for full in names.values()})
        self._locals = self._local_names()
        nodes = [node for piece in self._pieces() for node in nodes_in(piece.node)]
        self._keywords = {node.arg for node in nodes if isinstance(node, ast.keyword) and node.arg}
        self.texts = {MAIN: self._text(MAIN, [*weave.main, *self._others(public)])}
        for package, names in packages.items():
            there = [f"from {PACKAGE} import {name}\n" for name, full in names.items() if self._placed[full] == MAIN]
            self.texts[package] = "".join(there) + self._text(package, self._others(names))
        for module in {**weave.files, **dict.fromkeys(weave.wanted)}:
            self.texts[file_name(module, self.numbers)] = self._text(module, weave.files.get(module, ()))

    def _pieces(self) -> Iterable[Piece]:
        yield from self._weave.main
        for pieces in self._weave.files.values():
            yield from pieces

    def _shorten_attributes(self) -> None:
        """Short names for private and inner attributes and methods, the same in all files.

        Two that no object has both get the same one, since a board keeps each name once.
        """
        counts: dict[str, int] = {}
        families: dict[str, set[str]] = {}
        taken: set[str] = set()
        inner = self._inner()
        for piece in self._pieces():
            family = self._family(piece)
            for node in nodes_in(piece.node):
                for name, is_own in _attributes_in(node):
                    taken.add(name)
                    if is_private(name) or name in inner:
                        counts[name] = counts.get(name, 0) + 1
                        families.setdefault(name, set()).update([family] if is_own and family else [])
        every = {family for known in families.values() for family in known}
        used: dict[str, set[str]] = {family: set() for family in every}
        for name in sorted(counts, key=lambda one: (-counts[one], one)):
            theirs = families[name] or every
            free = (one for one in _short_names() if one not in taken)
            short = next(one for one in free if not any(one in used[of] for of in theirs))
            self._short[name] = short
            for family in theirs:
                used[family].add(short)

    def _inner(self) -> set[str]:
        """The names of attributes that only classes have which no program meets; see `choices.INNER`."""
        owners: dict[str, set[str]] = {}
        kept: set[str] = set()
        for piece in self._pieces():
            family = self._family(piece)
            for node in nodes_in(piece.node):
                if isinstance(node, ast.Constant) and isinstance(node.value, str) and node.kind is None:
                    kept.add(node.value)  # the fields of a record, and what `getattr` asks for
                for name, is_own in _attributes_in(node):
                    owners.setdefault(name, set()).update([family] if is_own and family else [])
                    if _module_of(piece) in HARDWARE:
                        kept.add(name)
        return {
            name for name, theirs in owners.items()
            if theirs and theirs <= INNER and name not in kept | BUILT_IN and not name.startswith("_")
        }  # fmt: skip

    def _family(self, piece: Piece) -> str:
        """The class at the top of those that a class, or the class of a method, inherits from; "" for a function."""
        owner = piece.names[0] if piece.names else ""
        if owner.count(":") == 2:  # a method that is loaded later: see `Weave`
            owner = owner.partition(":")[2].rpartition(".")[0]
        elif not isinstance(piece.node, ast.ClassDef):
            return ""
        while bases := self._weave.pieces[owner].bases:
            owner = bases[0]
        return owner

    def _identifiers(self, public: Mapping[str, str], named: set[str]) -> dict[str, str]:
        """Full name -> identifier, different for all names of a file; short but for those that a program may import.

        named: the full names of these, wherever they are.
        """
        ids = {full: name for name, full in public.items() if self._placed.get(full) == MAIN}
        taken: dict[str, set[str]] = {MAIN: set(public)}
        names_left = _short_names()
        named = named | {
            name
            for file, pieces in [(MAIN, self._weave.main), *self._weave.files.items()]
            for name in names_of([piece.node for piece in pieces]) if self._placed.get(name) != file
        }  # fmt: skip
        everywhere = self._everywhere()
        for full, module in self._placed.items():
            if full in ids:
                continue
            own = full.rpartition(":")[2].rpartition(".")[2]
            names = taken.setdefault(module, set())
            if module == MAIN and self._shorten:
                identifier = next(one for one in names_left if one not in names and one not in everywhere)
            elif self._shorten and full not in named and full != END:
                others = (one[1:] for one in _short_names())  # no name of the main file is like these
                identifier = next(one for one in others if one not in names and one not in everywhere)
            else:
                identifier = own
                while identifier in names or (identifier != own and identifier in everywhere):
                    identifier += "_"
            names.add(identifier)
            ids[full] = identifier
        return ids

    def _everywhere(self) -> set[str]:
        """The names of all variables and arguments of functions."""
        return {one for piece in self._pieces() for node in nodes_in(piece.node) for one in _locals_in(node)}

    def _local_names(self) -> dict[str, str]:
        """What functions import -> the variable for it: its own name, if no other variable has that."""
        taken = self._everywhere()
        found: dict[str, str] = {}
        for full in sorted(imported_by([piece.node for piece in self._pieces()])):
            name = full.partition(":")[2]
            while name in taken:
                name += "_"
            taken.add(name)
            found[full] = name
        return found

    def _others(self, public: Mapping[str, str]) -> list[Piece]:
        """How a package finds public names that are in other files than the main one."""
        where: dict[str, list[str]] = {}
        for name, full in public.items():
            if (place := self._placed.get(full, MAIN)) != MAIN:
                where.setdefault(place, []).append(name)
        return [Piece(MAIN, (), looking("name", "None", where))]

    def _text(self, module: str, pieces: Iterable[Piece]) -> str:
        writer = _Writer(module, self._placed, self._ids, self._locals, self._short, self.numbers)
        body = [writer.visit(copied(piece.node)) for piece in pieces]
        if self._shorten:
            for piece, node in zip(pieces, body, strict=True):
                inner = _module_of(piece) in INTERNAL or (module == START and _is_inner(piece.names))
                shorten_arguments(node, inner, self._keywords)
        if module in self._weave.wanted:  # a program may import it, and finds there what the main file has
            for name, full in self._weave.public[module].items():
                if not name.startswith("_") and full.startswith(f"{module}:") and self._placed.get(full) == MAIN:
                    own = f" as {name}" if self._ids[full] != name else ""
                    writer.imports.add(f"from {PACKAGE} import {self._ids[full]}{own}")
        for one in body:
            ast.fix_missing_locations(one)
        return "\n".join([*sorted(writer.imports), *[ast.unparse(one) for one in body]]) + "\n"


def _module_of(piece: Piece) -> str:
    """The module that a piece is from; that of its class, for a method that is loaded later."""
    later = bool(piece.names) and piece.names[0].count(":") == 2
    return piece.names[0].split(":")[1] if later else piece.module


def _is_inner(names: Sequence[str]) -> bool:
    """Whether a piece of the start is a function, or a method of a class that no program meets."""
    owners = {name.partition(":")[2].rpartition(".")[0] for name in names}
    return owners <= {"", *INNER}


def shorten_arguments(node: ast.AST, internal: bool, keywords: set[str]) -> None:
    """Give short names to arguments of functions that no program calls, but for those that are given by name.

    internal: whether that are all functions in it; else those whose names begin with an underline.
    keywords: names by which arguments are given anywhere.
    """
    for one in nodes_in(node):
        if not isinstance(one, ast.FunctionDef) or not (internal or is_private(one.name)) or one.args.kwonlyargs:
            continue
        mine = [arg.arg for arg in one.args.args if arg.arg != "self" and arg.arg not in keywords and len(arg.arg) > 2]
        used = {name for part in nodes_in(one) for name in _locals_in(part)}
        free = (name for name in _short_names() if name not in used)
        new = dict(zip(mine, free, strict=False))
        for part in nodes_in(one):
            if isinstance(part, ast.Name):
                part.id = new.get(part.id, part.id)
            elif isinstance(part, ast.arg):
                part.arg = new.get(part.arg, part.arg)


def is_private(name: str) -> bool:
    """Whether a name begins with one underline."""
    return name.startswith("_") and not name.startswith("__") and len(name) > 1 and name != "_is_owned"


def file_name(module: str, numbers: Mapping[str, int]) -> str:
    """The name of a file in the package; see `_later.part`."""
    return f"_{numbers[module]}" if module in numbers else module


def _short_names() -> Iterator[str]:
    """_a, _b, ..., _aa, _ab, ..."""
    for length in (1, 2, 3):
        for letters in product(LETTERS, repeat=length):
            yield f"_{''.join(letters)}"


def _attributes_in(node: ast.AST) -> "list[tuple[str, bool]]":
    """The names of attributes in a node, and whether they are the object's own."""
    if isinstance(node, ast.Attribute):
        return [(node.attr, isinstance(node.value, ast.Name) and node.value.id == "self")]
    if isinstance(node, ast.ClassDef):
        names = [part.id for one in node.body if not isinstance(one, ast.FunctionDef) for part in nodes_in(one)
                 if isinstance(part, ast.Name)]  # fmt: skip
        return [(name, True) for name in [node.name, *names] if ":" not in name]
    if isinstance(node, ast.FunctionDef):
        return [(node.name.rpartition(".")[2], True)] if ":" not in node.name or "." in node.name else []
    return []


def _locals_in(node: ast.AST) -> list[str]:
    """Identifiers that a statement has besides full names."""
    if isinstance(node, ast.Name):
        return [node.id] if ":" not in node.id else []
    if isinstance(node, ast.arg):
        return [node.arg]
    if isinstance(node, ast.ExceptHandler):
        return [node.name] if node.name else []
    return []


class _Writer(ast.NodeTransformer):
    """Full names as identifiers of one file."""

    def __init__(
        self,
        module: str,
        placed: Mapping[str, str],
        ids: Mapping[str, str],
        variables: Mapping[str, str],
        short: Mapping[str, str],
        files: Mapping[str, int],
    ) -> None:
        self._module, self._placed, self._ids, self._variables = module, placed, ids, variables
        self._short, self._files = short, files
        self.imports: set[str] = set()

    def _identifier(self, full: str) -> str:
        if ":" not in full:
            return full
        module, _, name = full.partition(":")
        if module == EXTERNAL:
            package, _, what = name.rpartition(".")
            self.imports.add(f"from {package} import {what}" if package else f"import {what}")
            return what
        when_used, full = full.endswith(WHEN_USED), full.removesuffix(WHEN_USED)
        place, identifier = self._placed[full], self._ids[full]
        if when_used and place not in (self._module, MAIN):
            return self._variables[full]
        if place != self._module:
            self.imports.add(f"from {self._path(place)} import {identifier}")
        return identifier

    def visit_Name(self, node: ast.Name) -> ast.Name:
        node.id = self._identifier(node.id)
        return node

    def visit_Constant(self, node: ast.Constant) -> ast.Constant:
        if node.kind == NAMES and isinstance(node.value, str):
            node.value = f" {' '.join([self._short.get(one, one) for one in node.value.split()])} "
        elif node.kind == FILE and isinstance(node.value, str):
            node.value = self._files.get(node.value, node.value)
        elif node.kind == WHOLE and isinstance(node.value, str):
            node.value = self._path(node.value)
        node.kind = None if node.kind in (NAMES, FILE, WHOLE) else node.kind
        return node

    def visit_Global(self, node: ast.Global) -> ast.Global:
        node.names = [self._identifier(one) for one in node.names]
        return node

    def visit_Attribute(self, node: ast.Attribute) -> ast.AST:
        node.attr = self._short.get(node.attr, node.attr)
        return self.generic_visit(node)

    def visit_ImportFrom(self, node: ast.ImportFrom) -> "ast.stmt | list[ast.stmt]":
        if not any(":" in alias.name for alias in node.names):
            return node
        kept: list[ast.stmt] = []
        for alias in node.names:
            if ":" not in alias.name:
                kept.append(ast.ImportFrom(node.module, [alias], 0))
            elif self._placed.get(alias.name, MAIN) not in (self._module, MAIN):
                found = self._later(alias.name)
                if (place := self._placed[alias.name]) in TRANSIENT:
                    found = f"{self._later(ONCE)}({self._files.get(place, place)!r}, {self._ids[alias.name]!r})"
                kept += ast.parse(f"{self._variables[alias.name]} = {found}").body
        return kept or ast.Pass()

    def _later(self, full: str) -> str:
        """The expression for a name of another file that is loaded when it is needed.

        An import would have a board keep the names of the file and of what is imported from it, whether it comes to
        that or not.
        """
        place = self._placed[full]
        return f"{self._identifier(PART)}({self._files.get(place, place)!r}).{self._ids[full]}"

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        node.name = self._identifier(node.name)
        for one in node.body:
            if not isinstance(one, ast.FunctionDef):  # its attributes
                for name in [part for part in nodes_in(one) if isinstance(part, ast.Name)]:
                    name.id = self._short.get(name.id, name.id)
        return self.generic_visit(node)

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        node.name = self._short.get(node.name, self._identifier(node.name))
        return self.generic_visit(node)

    def _path(self, place: str) -> str:
        return f"{PACKAGE}.{file_name(place, self._files)}" if place else PACKAGE
