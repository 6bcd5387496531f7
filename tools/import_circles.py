"""No circle of modules or folders, and no module of 400 lines or more: ``tools/import_circles.py`` lists every one.

Imports inside of functions count, those that only types need do not. A module that imports the face of its own package
is in a circle with it.
"""

import ast
import sys
from pathlib import Path

MOST_LINES = 400
SOURCE = Path(__file__).parents[1] / "src"
KNOWN: list[list[str]] = []
KNOWN_FOLDERS: list[list[str]] = []


def modules() -> dict[str, Path]:
    """Return every module by its name."""
    found = {}
    for path in sorted(SOURCE.rglob("*.py")):
        parts = path.relative_to(SOURCE).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def imported(tree: ast.AST, known: dict[str, Path]) -> set[str]:
    """Return the modules that a module imports."""
    found: set[str] = set()
    skipped: set[ast.AST] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.unparse(node.test):
            skipped.update(n for child in node.body for n in ast.walk(child))
    for node in ast.walk(tree):
        if node in skipped:
            continue
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names if a.name in known}
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            for a in node.names:
                own = f"{node.module}.{a.name}"
                found |= {own} if own in known else {node.module} & known.keys()
    return found


def circles(graph: dict[str, set[str]]) -> list[list[str]]:
    """Return the strongly connected components of more than one module (Tarjan 1972), each sorted."""
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: list[list[str]] = []

    def visit(node: str) -> None:
        index[node] = low[node] = len(index)
        stack.append(node)
        for other in sorted(graph[node]):
            if other not in index:
                visit(other)
                low[node] = min(low[node], low[other])
            elif other in stack:
                low[node] = min(low[node], index[other])
        if low[node] == index[node]:
            own = []
            while not own or own[-1] != node:
                own.append(stack.pop())
            if len(own) > 1:
                found.append(sorted(own))

    for node in sorted(graph):
        if node not in index:
            visit(node)
    return found


def folders(graph: dict[str, set[str]], known: dict[str, Path]) -> dict[str, set[str]]:
    """Return what imports what by folders; what lies in none (the command line, the palette) stands for itself."""

    def folder(name: str) -> str:
        above = name.rpartition(".")[0]
        return name if above in ("", "truegauge") else above

    found: dict[str, set[str]] = {folder(name): set() for name in known}
    for name, others in graph.items():
        found[folder(name)] |= {folder(o) for o in others} - {folder(name)}
    return found


def main() -> int:
    """Print the circles and the long modules; 1 when there is one that is not known, or a known one is gone."""
    sys.setrecursionlimit(10_000)
    known = modules()
    graph = {name: imported(ast.parse(path.read_text()), known) - {name} for name, path in known.items()}
    found = circles(graph)
    for own in (c for c in KNOWN if c not in found):
        print(f"no circle any more, take it off the list: {', '.join(own)}")
    for own in (c for c in found if c not in KNOWN):
        print(f"{len(own)} modules import each other: {', '.join(m.removeprefix('truegauge.') for m in own)}")
    among = circles(folders(graph, known))
    for own in (c for c in among if c not in KNOWN_FOLDERS):
        print(f"{len(own)} folders import each other: {', '.join(m.removeprefix('truegauge.') for m in own)}")
    long = {name: n for name, path in known.items() if (n := len(path.read_text().splitlines())) >= MOST_LINES}
    for name, lines in long.items():
        print(f"{name} has {lines} lines: make two of it, each with one idea")
    return int(bool(long) or found != KNOWN or among != KNOWN_FOLDERS)


if __name__ == "__main__":
    sys.exit(main())
