"""Prints a hash of what kernels are compiled from: their source without docstrings and comments, and the numbers beside them."""

from __future__ import annotations

import ast
import hashlib
import sys
from pathlib import Path


def bare(node: ast.FunctionDef) -> str:
    """Return a function's source without its docstring and annotations."""
    if isinstance(node.body[0], ast.Expr) and isinstance(node.body[0].value, ast.Constant):
        node.body = node.body[1:] or [ast.Pass()]
    node.returns = None
    for argument in node.args.args:
        argument.annotation = None
    return ast.unparse(node)


def tuples(node: ast.ClassDef) -> bool:
    """Return whether a class is a named tuple, as kernels are handed arrays in."""
    return any(isinstance(b, ast.Name) and b.id == "NamedTuple" for b in node.bases)


def main() -> None:
    """Walk the files that have kernels."""
    h = hashlib.sha256()
    for file in sorted(Path(sys.argv[1]).rglob("*.py")):
        text = file.read_text(encoding="utf-8")
        if "@kernel" not in text and "@piece" not in text and file.name != "kernels.py":
            continue
        for node in ast.parse(text).body:
            if isinstance(node, ast.FunctionDef) and any(
                isinstance(d, ast.Name) and d.id in ("kernel", "piece") for d in node.decorator_list
            ):
                h.update(bare(node).encode())
            elif isinstance(node, ast.Assign) or (isinstance(node, ast.ClassDef) and tuples(node)):
                h.update(ast.unparse(node).encode())
    print(h.hexdigest())  # noqa: T201 - what it is for


if __name__ == "__main__":
    main()
