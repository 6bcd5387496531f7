"""Lists test functions that cannot fail: no assert, no raises, no waitSignal."""

import ast
import sys
from pathlib import Path


def can_fail(function: ast.FunctionDef) -> bool:
    for node in ast.walk(function):
        if isinstance(node, ast.Assert):
            return True
        if isinstance(node, ast.Attribute) and (node.attr in ("raises", "waitSignal", "waitUntil")
                                                or node.attr.startswith("assert_")):  # fmt: skip
            return True
        if isinstance(node, ast.Name) and node.id.startswith("assert_"):
            return True
    return False


def main() -> int:
    found = []
    for path in sorted(Path("tests").rglob("test_*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.FunctionDef) and node.name.startswith("test_") and not can_fail(node):
                found.append(f"{path}:{node.lineno} {node.name} cannot fail")
    print("\n".join(found) or "every test can fail")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
