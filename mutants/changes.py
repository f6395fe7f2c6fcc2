"""List the small mistakes that could be made in a source file."""

import ast
from dataclasses import dataclass
from pathlib import Path

__all__ = ["Change", "changes_in"]

_NEGATED: dict[type[ast.cmpop], ast.cmpop] = {
    ast.Lt: ast.GtE(), ast.GtE: ast.Lt(), ast.Gt: ast.LtE(), ast.LtE: ast.Gt(),
    ast.Eq: ast.NotEq(), ast.NotEq: ast.Eq(),
    ast.Is: ast.IsNot(), ast.IsNot: ast.Is(), ast.In: ast.NotIn(), ast.NotIn: ast.In(),
}  # fmt: skip
_SHIFTED: dict[type[ast.cmpop], ast.cmpop] = {
    ast.Lt: ast.LtE(),
    ast.LtE: ast.Lt(),
    ast.Gt: ast.GtE(),
    ast.GtE: ast.Gt(),
}
_OPPOSITE: dict[type[ast.operator], ast.operator] = {
    ast.Add: ast.Sub(), ast.Sub: ast.Add(), ast.Mult: ast.Div(), ast.Div: ast.Mult(),
    ast.BitAnd: ast.BitOr(), ast.BitOr: ast.BitAnd(), ast.FloorDiv: ast.Mult(),
}  # fmt: skip
_OTHER_NAMES = {
    "min": "max", "max": "min", "minimum": "maximum", "maximum": "minimum", "any": "all", "all": "any",
    "floor": "ceil", "ceil": "floor",
}  # fmt: skip
_BOUNDED = {"range", "clip", "min", "max", "minimum", "maximum"}
_COUNTED = {"len", "size", "shape", "ndim", "count"}


@dataclass(frozen=True)
class Change:
    """One mistake: a stretch of a source file, and what would stand there."""

    path: Path
    function: str
    line: int
    span: tuple[int, int]
    was: str
    becomes: str
    sort: str

    def applied(self) -> str:
        """Return the whole source with the mistake in it."""
        source = self.path.read_bytes()
        return (source[: self.span[0]] + self.becomes.encode() + source[self.span[1] :]).decode()

    def __str__(self) -> str:
        """Say where it is, and what."""
        return f"{self.path}:{self.line} {self.function}: {_short(self.was)} -> {_short(self.becomes)}"


def _short(text: str) -> str:
    flat = " ".join(text.split())
    return flat if len(flat) <= 70 else f"{flat[:67]}..."


def changes_in(path: Path) -> list[Change]:
    """List every mistake that is made in the functions of a file; a module's constants are for the bench to judge."""
    source = path.read_text()
    finder = _Finder(path, source)
    finder.visit(ast.parse(source))
    return finder.found


class _Finder(ast.NodeVisitor):
    """Collects the mistakes of one file."""

    def __init__(self, path: Path, source: str) -> None:
        self.found: list[Change] = []
        self._path, self._bytes = path, source.encode()
        lines = source.encode().splitlines(keepends=True)
        self._starts = [sum(len(line) for line in lines[:i]) for i in range(len(lines) + 1)]
        self._inside: list[str] = []
        self._depth = 0  # of functions

    def _span(self, node: ast.expr | ast.stmt) -> tuple[int, int]:
        last, column = node.end_lineno or node.lineno, node.end_col_offset or 0
        return self._starts[node.lineno - 1] + node.col_offset, self._starts[last - 1] + column

    def _add(self, node: ast.expr | ast.stmt, becomes: str, sort: str) -> None:
        start, end = self._span(node)
        was = self._bytes[start:end].decode()
        if self._depth and was != becomes:
            self.found.append(Change(self._path, ".".join(self._inside), node.lineno, (start, end), was, becomes, sort))

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        self._inside.append(node.name)
        for statement in node.body:
            self.visit(statement)
        self._inside.pop()

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        self._inside.append(node.name)
        self._depth += 1
        for default in [*node.args.defaults, *(value for value in node.args.kw_defaults if value is not None)]:
            if isinstance(default, ast.Constant):
                self._constant(default, "default")
        for statement in node.body:
            self.visit(statement)
        self._depth -= 1
        self._inside.pop()

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.visit(node.value)

    def visit_Raise(self, node: ast.Raise) -> None:
        """Leave what an error says alone."""

    def visit_Compare(self, node: ast.Compare) -> None:
        if len(node.ops) == 1:
            operator = type(node.ops[0])
            self._compared(node, _NEGATED[operator], "comparison")
            if operator in _SHIFTED and any(_is_whole(side) for side in (node.left, *node.comparators)):
                self._compared(node, _SHIFTED[operator], "bound")
        self.generic_visit(node)

    def _compared(self, node: ast.Compare, operator: ast.cmpop, sort: str) -> None:
        self._add(node, ast.unparse(ast.Compare(node.left, [operator], node.comparators)), sort)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        if type(node.op) in _OPPOSITE and not _is_text(node):
            self._add(node, ast.unparse(ast.BinOp(node.left, _OPPOSITE[type(node.op)], node.right)), "sign")
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.USub | ast.Not):
            self._add(node, f"({ast.unparse(node.operand)})", "sign")
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        other = ast.Or() if isinstance(node.op, ast.And) else ast.And()
        self._add(node, f"({ast.unparse(ast.BoolOp(other, node.values))})", "comparison")
        self.generic_visit(node)

    def visit_Expr(self, node: ast.Expr) -> None:
        if isinstance(node.value, ast.Call):
            self._add(node, "pass", "dropped call")
        self.generic_visit(node)

    def visit_Call(self, node: ast.Call) -> None:
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        if name in _OTHER_NAMES:
            start, end = self._span(node.func)
            old = self._bytes[start:end].decode()
            self._add(node.func, f"{old.removesuffix(name)}{_OTHER_NAMES[name]}", "bound")
        for argument in [*node.args, *(keyword.value for keyword in node.keywords)]:
            if isinstance(argument, ast.Constant) and (name in _BOUNDED or isinstance(argument.value, bool)):
                self._constant(argument, "bound" if name in _BOUNDED else "default")
        self.generic_visit(node)

    def visit_Slice(self, node: ast.Slice) -> None:
        for bound in (node.lower, node.upper):
            if isinstance(bound, ast.Constant):
                self._constant(bound, "bound")
        self.generic_visit(node)

    def visit_JoinedStr(self, node: ast.JoinedStr) -> None:
        """Leave what is only said alone."""

    def _constant(self, node: ast.Constant, sort: str) -> None:
        value = node.value
        if isinstance(value, bool):
            self._add(node, str(not value), sort)
        elif isinstance(value, int):
            self._add(node, str(value + 1), sort)
        elif isinstance(value, float):
            self._add(node, str(value * 2 if value else 1.0), sort)


def _is_whole(node: ast.expr) -> bool:
    """Return whether a side of a comparison counts something, so that the limit itself is a case."""
    if isinstance(node, ast.Constant):
        return isinstance(node.value, int)
    return any(getattr(part, "id", getattr(part, "attr", "")) in _COUNTED for part in ast.walk(node))


def _is_text(node: ast.BinOp) -> bool:
    """Return whether an addition joins texts or lists, where the opposite would be an error at once."""
    return any(
        isinstance(part, ast.JoinedStr | ast.List | ast.Tuple | ast.Constant)
        and not (isinstance(part, ast.Constant) and isinstance(part.value, int | float))
        for part in (node.left, node.right)
    )
