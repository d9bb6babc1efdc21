"""Which file has what is not in the main one: what is loaded later, what only the start needs, and the rest."""

import ast
from collections.abc import Iterable, Mapping, Sequence

from lumek.firmware.changes import given
from lumek.firmware.choices import ALSO_AT_START, ASIDE, GROUPS
from lumek.firmware.pieces import (
    ASIDE_FILE,
    END,
    FAIL,
    MAIN,
    NAMES,
    ONCE,
    START,
    WHOLE,
    Piece,
    imported_by,
    names_in,
    names_of,
)
from lumek.firmware.sources import copied, nodes_in

SMALL = 80
"""Nodes of a function that is copied: some four lines."""


class Placing:
    """The files besides the main one.

    main: the pieces of the main file.
    pieces: all, by their full names. public: what the names of each module mean. order: the modules, as they import
        each other.
    """

    def __init__(
        self, main: list[Piece], pieces: dict[str, Piece], public: Mapping[str, Mapping[str, str]], order: Sequence[str]
    ) -> None:
        self.main, self.pieces, self.public, self.order = main, pieces, public, order

    def files(self, rest: Sequence[str]) -> dict[str, list[Piece]]:
        """The files besides the main one: module -> pieces.

        rest: what a program may import; see `Weave`.
        """
        files: dict[str, list[Piece]] = {}
        there = {id(piece) for piece in self.main}
        waiting: list[ast.AST] = [piece.node for piece in self.main]
        starting: list[ast.stmt] = []
        for piece in self.main:
            starting += piece.later.get(START, [])
            waiting += self._add_later(piece, there, files)
        wanted: set[str] = {"_failing:failure"} if self.pieces[FAIL] in self.main else set()
        wanted |= self._asked_for(rest) | {ONCE}
        self._follow(waiting, wanted, there, files)
        if starting:
            self._begin(starting, there, files)
            self._follow([*starting, *[piece.node for piece in files[START]]], set(), there, files)
        self._copy_small(files, self._asked_for(rest) | {ONCE})
        self._gather(files, self._asked_for(rest) | {ONCE})
        for name in [one for one in files if one in self.order]:
            files[name] = in_order(files[name], self.pieces, self.order)
        return files

    def _asked_for(self, rest: Sequence[str]) -> set[str]:
        """The full names that a program may import: those named, and all of modules."""
        modules = [one for one in [*rest, "errors"] if ":" not in one]
        own = {name for one in modules for name in self.public[one].values() if name.startswith(f"{one}:")}
        return own | {one for one in rest if ":" in one}

    def _copy_small(self, files: dict[str, list[Piece]], asked_for: set[str]) -> None:
        """Put small functions that several files need into each of them: a file for a few lines costs more."""
        uses = {file: names_of([piece.node for piece in pieces]) for file, pieces in files.items()}
        kept = asked_for | names_of([piece.node for piece in self.main])
        kept |= imported_by([piece.node for pieces in [self.main, *files.values()] for piece in pieces])
        for file in [one for one in files if one in self.order]:
            small = [one for one in files[file] if _is_small(one) and not kept.intersection(one.names)]
            for piece in small:
                users = [one for one, names in uses.items() if one != file and piece.names[0] in names]
                for one in users:
                    files[one].insert(0, self._copied(piece, one, files[one]))
                    uses[one] |= names_of([files[one][0].node])
                others = [part.node for part in files[file] if part is not piece]
                if users and piece.names[0] not in names_of(others):
                    files[file].remove(piece)

    def _copied(self, piece: Piece, file: str, users: list[Piece]) -> Piece:
        """A copy of a function for a file, by which it is called there."""
        name, new = piece.names[0], f"{file}:{piece.names[0].partition(':')[2]}"
        twin = Piece(file, (new,), copied(piece.node))
        for node in [part for one in [*users, twin] for part in nodes_in(one.node)]:
            if isinstance(node, ast.Name) and node.id == name:
                node.id = new
            elif isinstance(node, ast.FunctionDef) and node.name == name:
                node.name = new
        self.pieces[new] = twin
        return twin

    def _gather(self, files: dict[str, list[Piece]], asked_for: set[str]) -> None:
        """Put what only one file needs into that file: a table that one method looks at is loaded with it."""
        everything = [*self.main, *[piece for pieces in files.values() for piece in pieces]]
        named = {id(piece): names_of([piece.node]) - set(piece.names) for piece in everything}
        kept = asked_for | imported_by([piece.node for piece in everything])
        moved = True
        while moved:
            moved = False
            users: dict[str, set[str]] = {}
            for file, pieces in [(MAIN, self.main), *files.items()]:
                for name in [name for piece in pieces for name in named[id(piece)]]:
                    users.setdefault(name, set()).add(file)
            for file, pieces in list(files.items()):
                for piece in [one for one in pieces if one.names and not kept.intersection(one.names)]:
                    by = set().union(*[users.get(name, set()) for name in piece.names])
                    target = next(iter(by), file) if len(by) == 1 else file
                    if target not in (file, MAIN, START) and file in self.order:
                        pieces.remove(piece)
                        files[target].insert(0, piece)
                        moved = True
        for file in [file for file, pieces in files.items() if not pieces]:
            del files[file]

    def _begin(self, starting: Sequence[ast.stmt], there: set[int], files: dict[str, list[Piece]]) -> None:
        """Fill the file of the start: with what only it needs, and copies of functions that others need, too."""
        own: list[Piece] = []
        inside = {id(piece) for piece in self.main}
        waiting = list(starting)
        while waiting:
            known = map(self.pieces.get, sorted(names_of(waiting)))
            found = [piece for piece in known if piece and id(piece) not in inside]
            waiting = []
            for piece in found:
                inside.add(id(piece))
                if id(piece) not in there:
                    there.add(id(piece))
                elif isinstance(piece.node, ast.FunctionDef):
                    piece = self._copied(piece, START, [Piece(START, (), one) for one in starting] + own)
                    inside.add(id(piece))
                else:
                    continue
                own.append(piece)
                waiting.append(piece.node)
        files[START] = in_order([piece for piece in own if piece.module != START], self.pieces, self.order) + [
            piece for piece in own if piece.module == START
        ] + files[START] + [self._end()]  # fmt: skip

    def _end(self) -> Piece:
        """The function that takes the methods of the start back from their classes.

        Files that have some of these, too, are to be loaded anew. A table of MicroPython's keeps the value of what is
        deleted until its place is used again, so None comes first.
        """
        text = """
import sys
package = sys.modules['lumek']
package.start = sys.modules['lumek.start'] = None
del package.start, sys.modules['lumek.start']
for owner, names in TAKEN:
    for name in names.split():
        setattr(owner, name, None)
        delattr(owner, name)
for file in ALSO:
    sys.modules.pop(file, None)
"""
        body = ast.parse(text).body
        taken: list[ast.expr] = []
        also: list[ast.expr] = []
        for piece in self.main:
            if members := piece.later.get(START):
                names = ast.Constant(" ".join([one.name.rpartition(".")[2] for one in members]))
                names.kind = NAMES
                taken.append(ast.Tuple([ast.Name(piece.names[0], ast.Load()), names], ast.Load()))
                if piece.names[0] in ALSO_AT_START:
                    also += [ast.Constant(file, WHOLE) for file in piece.later if file != START]
        for loop, parts in zip(body[-2:], (taken, also), strict=True):
            assert isinstance(loop, ast.For)
            loop.iter = ast.Tuple(parts, ast.Load())
        none = ast.arguments([], [], None, [], [], None, [])
        return Piece(START, (END,), ast.FunctionDef(END, none, body, [], lineno=1))

    def _add_later(self, piece: Piece, there: set[int], files: dict[str, list[Piece]]) -> list[ast.FunctionDef]:
        """Put the methods that a class has later into their files. Returns those that are not of the start."""
        for name, members in piece.later.items():
            pieces = [Piece(name, (f"{name}:{piece.names[0]}.{one.name}",), one) for one in members]
            for one in pieces:
                self.pieces[one.names[0]] = one
                there.add(id(one))
            pieces.append(Piece(name, (), given(piece, pieces)))
            files.setdefault(name, []).extend(pieces)
        return [member for name, members in piece.later.items() if name != START for member in members]

    def _follow(self, waiting: list[ast.AST], wanted: set[str], there: set[int], files: dict[str, list[Piece]]) -> None:
        """Put the pieces that statements lead to, and those wanted by name, into files of their modules."""
        while waiting or wanted:
            wanted |= names_in(waiting)
            waiting = []
            for name in sorted(wanted):
                piece = self.pieces.get(name)
                if piece is not None and id(piece) not in there:
                    there.add(id(piece))
                    files.setdefault(_file_of(piece), []).append(piece)
                    waiting += [piece.node, *self._add_later(piece, there, files)]
            wanted = set()


def _file_of(piece: Piece) -> str:
    """The file of a definition that is not in the main one."""
    if not ASIDE.intersection(piece.names):
        return piece.module
    own = {one.partition(":")[2] for one in piece.names}
    grouped = (name for name, group in GROUPS.items() if own & group.get(piece.module, set()))
    return next(grouped, f"{piece.module}{ASIDE_FILE}")


def _is_small(piece: Piece) -> bool:
    return isinstance(piece.node, ast.FunctionDef) and sum(1 for _ in nodes_in(piece.node)) <= SMALL


def in_order(pieces: Iterable[Piece], known: Mapping[str, Piece], modules: Sequence[str]) -> list[Piece]:
    """Pieces in the order in which their modules import each other, and are written."""
    places = {id(piece): place for place, piece in enumerate(known.values())}
    return sorted(pieces, key=lambda piece: (modules.index(piece.module), places[id(piece)]))
