"""The house rules that a reader relies on, checked on the source itself."""

import ast
import functools
import unittest
from pathlib import Path

import jump_lane

ROOT = Path(jump_lane.__file__).parent

FLOORS = (
    ("errors", "harmless", "files", "validation", "quantities"),
    ("catalogue", "circuit", "equations", "spec"),
    ("switching", "topologies"),
    ("design",),
    ("operating",),
    ("judge",),
    ("control", "dissipation", "magnetics", "sizing", "supply"),
    ("study",),
    ("report",),
    ("library",),
    ("cli",),
)
"""Rooms from the ground up: a module imports from its own room or from floors below."""

OUTSIDE = {"__init__", "__main__"}
HEAVY = {"numba", "scipy", "matplotlib", "pint", "pyarrow", "pandas"}


@functools.cache
def modules() -> dict[str, ast.Module]:
    return {
        str(path.relative_to(ROOT).with_suffix("")).replace("/", "."): ast.parse(
            path.read_text(encoding="utf-8")
        )
        for path in ROOT.rglob("*.py")
    }


def room(module: str) -> str:
    return module.split(".")[0]


def floor(name: str) -> int:
    return next(k for k, rooms in enumerate(FLOORS) if name in rooms)


def imported(tree: ast.AST) -> set[str]:
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            found |= {f"{node.module}.{alias.name}" for alias in node.names}
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found


class Floors(unittest.TestCase):
    def test_every_module_has_its_room(self) -> None:
        known = {name for rooms in FLOORS for name in rooms} | OUTSIDE
        self.assertEqual({room(name) for name in modules()} - known, set())

    def test_no_module_imports_from_above_or_from_the_next_room(self) -> None:
        for name, tree in modules().items():
            own = room(name)
            if own in OUTSIDE:
                continue
            for target in imported(tree):
                parts = target.split(".")
                if parts[0] != "jump_lane" or len(parts) == 1 or parts[1] in (own, "__version__"):
                    continue
                self.assertLess(floor(parts[1]), floor(own) + (floor(own) == 0), f"{name} imports {target}")

    def test_no_topology_is_named_outside_its_page(self) -> None:
        from jump_lane.topologies import NAMES

        words = {n for n in NAMES if n not in ("buck", "boost")} | {"sepic", "cuk", "zeta"}
        for name, tree in modules().items():
            if room(name) in (
                "switching",
                "operating",
                "judge",
                "sizing",
                "dissipation",
                "study",
                "report",
                "circuit",
            ):
                texts = [
                    n.value
                    for n in ast.walk(tree)
                    if isinstance(n, ast.Constant) and isinstance(n.value, str)
                ]
                for text in texts:
                    self.assertFalse(text in words, f"{name} names {text}")

    def test_every_page_is_registered(self) -> None:
        from jump_lane.topologies import NAMES

        others = {"__init__", "page", "point", "role", "variant"}
        files = {p.stem for p in (ROOT / "topologies").glob("*.py")} - others
        self.assertEqual(files, {n.replace("-", "_") for n in NAMES})


class Habits(unittest.TestCase):
    def test_everything_public_is_explained(self) -> None:
        for name, tree in modules().items():
            self.assertTrue(ast.get_docstring(tree), name)
            classes = [n for n in tree.body if isinstance(n, ast.ClassDef)]
            for node in (*tree.body, *(m for c in classes for m in c.body)):
                if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                    self.assertTrue(ast.get_docstring(node), f"{name}.{node.name}")

    def test_heavy_packages_are_imported_where_they_are_used(self) -> None:
        for name, tree in modules().items():
            if room(name) == "switching":
                continue
            top = {
                i.split(".")[0]
                for n in tree.body
                for i in imported(n)
                if not isinstance(n, ast.FunctionDef | ast.ClassDef | ast.If)  # such as `if TYPE_CHECKING`
            }
            self.assertFalse(top & HEAVY, name)

    def test_nothing_in_the_core_prints(self) -> None:
        for name, tree in modules().items():
            if room(name) in ("cli", "report"):
                continue
            calls = [n.func for n in ast.walk(tree) if isinstance(n, ast.Call)]
            self.assertFalse([c for c in calls if isinstance(c, ast.Name) and c.id == "print"], name)

    def test_functions_are_short(self) -> None:
        lengths = []
        for name, tree in modules().items():
            for node in ast.walk(tree):
                if isinstance(node, ast.FunctionDef):
                    length = node.end_lineno - node.body[0].lineno + 1  # type: ignore[operator]
                    lengths.append(length)
                    self.assertLessEqual(length, 100, f"{name}.{node.name}")
        self.assertLess(sum(lengths) / len(lengths), 15)

    def test_modules_are_of_one_subject(self) -> None:
        for path in ROOT.rglob("*.py"):
            self.assertLessEqual(len(path.read_text(encoding="utf-8").splitlines()), 450, path.name)
