"""The rooms of the house: imports point down only, and what each needs is little."""

from __future__ import annotations

import ast
import re
import sys
import tomllib
import unittest
from collections.abc import Iterator
from functools import lru_cache
from importlib.metadata import packages_distributions
from pathlib import Path

PACKAGE = Path(__file__).parents[2] / "ironmark"
WEB = Path(__file__).parents[2] / "web" / "src"
ROW = {"clock", "core", "tables", "store"}
BELOW: dict[str, set[str]] = {  # room: what it may import besides itself
    "clock": set(),
    "core": set(),
    "tables": {"core"},
    "store": {"clock", "core", "tables"},
    "pages.model": {"core"},
    "pages.context": {*ROW, "pages.model"},
    "pages.reading": {*ROW, "pages.model", "pages.context"},
    "pages.drawing": {"core", "pages.model"},
    "pages.people": {*ROW, "pages.model", "pages.context", "pages.reading", "pages.drawing"},
    "pages.marks": {*ROW, "pages.model", "pages.context", "pages.reading"},
    "pages.authoring": {*ROW, "pages.model", "pages.context", "pages.reading", "pages.drawing"},
    "pages.signals": {*ROW, "pages.model", "pages.context", "pages.reading", "pages.drawing"},
    "pages.datasets": {*ROW, "pages.model", "pages.context"},
    "pages.watches": {
        *ROW,
        "pages.model",
        "pages.context",
        "pages.reading",
        "pages.drawing",
        "pages.people",
        "pages.datasets",
        "pages.publishing",
    },
    "pages.publishing": {*ROW, "pages.model", "pages.context", "pages.reading", "pages.drawing", "pages.datasets"},
}
ONLY_REGISTER = {"api.problems.install", "api.records.add_routes"}  # functions within one that has nothing else
PAGES = {room for room in BELOW if room.startswith("pages.")}
BELOW |= {
    "publish": {*ROW, *PAGES},
    "work": {*ROW, *PAGES, "publish"},
    "demo": {*ROW, *PAGES, "publish"},
    "api.answers": {*ROW, *PAGES, "publish", "work", "api"},
    "api": {*ROW, *PAGES, "publish", "work", "demo", "api.answers"},
}


@lru_cache(maxsize=1)
def modules() -> list[tuple[str, ast.Module, str]]:
    """Their names, what they are, and their texts."""
    return [
        (".".join(path.relative_to(PACKAGE).with_suffix("").parts), ast.parse(text := path.read_text("utf-8")), text)
        for path in sorted(PACKAGE.rglob("*.py"))
        if "migrations" not in path.parts and path.name not in ("__main__.py", "__init__.py")
    ]


def imported(tree: ast.Module) -> Iterator[str]:
    """The modules of ours that one imports, without what is named in them."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.partition(".")[0] == "ironmark":
            for name in node.names:
                full = f"{node.module}.{name.name}".removeprefix("ironmark.")
                path = PACKAGE.joinpath(*full.split("."))
                found = full if path.with_suffix(".py").exists() else node.module.removeprefix("ironmark.")
                if found != "ironmark":
                    yield found


def room(module: str) -> str:
    parts = module.split(".")
    found = ".".join(parts[:2])
    return found if found in BELOW else parts[0]


class Rooms(unittest.TestCase):
    def test_imports_point_down(self) -> None:
        wrong = [
            f"{module} imports {other}"
            for module, tree, _ in modules()
            for other in imported(tree)
            if room(other) != room(module) and room(other) not in BELOW[room(module)]
        ]
        self.assertEqual(wrong, [])

    def test_routers_import_no_routers(self) -> None:
        routers = {name for name, _, text in modules() if "APIRouter(" in text and name != "api.app"}
        wrong = [
            f"{module} imports {other}"
            for module, tree, _ in modules()
            if module in routers or room(module) == "api.answers"
            for other in imported(tree)
            if other in routers
        ]
        self.assertEqual(wrong, [])

    def test_only_the_store_names_tables(self) -> None:
        tables = {
            node.value.value
            for _, tree, _ in modules()
            for node in ast.walk(tree)
            if isinstance(node, ast.Assign)
            and getattr(node.targets[0], "id", "") == "__tablename__"
            and isinstance(node.value, ast.Constant)
        }
        self.assertGreater(len(tables), 20)
        wrong = [
            f"{module} names {table}"
            for module, _, text in modules()
            if room(module) not in ("store", "tables")
            for table in tables
            for word in ("FROM", "INTO", "UPDATE", "JOIN")
            if f"{word} {table}" in text
        ]
        self.assertEqual(wrong, [])

    def test_no_circles(self) -> None:
        edges = {module: {other for other in imported(tree) if other != module} for module, tree, _ in modules()}
        done: set[str] = set()

        def walk(module: str, way: tuple[str, ...]) -> None:
            self.assertNotIn(module, way, " → ".join((*way, module)))
            if module not in done:
                for other in edges.get(module, ()):
                    walk(other, (*way, module))
                done.add(module)

        for module in edges:
            walk(module, ())

    def test_every_room_says_what_it_is(self) -> None:
        for name in BELOW:
            path = PACKAGE.joinpath(*name.split("."))
            told = path / "__init__.py" if path.is_dir() else path.with_suffix(".py")
            self.assertTrue(ast.get_docstring(ast.parse(told.read_text("utf-8"))), name)

    def test_files_functions_and_components_stay_small(self) -> None:
        for path in (*PACKAGE.rglob("*.py"), *WEB.rglob("*.svelte")):
            lines, most = len(path.read_text().splitlines()), 350 if path.suffix == ".svelte" else 450
            self.assertLessEqual(lines, most, path.name)
        for module, tree, _ in modules():
            for node in ast.walk(tree):
                if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                    lines = (node.end_lineno or 0) - node.lineno + 1
                    name = f"{module}.{node.name}"
                    self.assertTrue(lines <= 60 or name in ONLY_REGISTER, f"{name} has {lines} lines")

    def test_every_package_that_is_imported_is_asked_for_and_pinned(self) -> None:
        root = PACKAGE.parent
        asked = tomllib.loads((root / "pyproject.toml").read_text())["project"]["dependencies"]
        named = {re.split(r"[\[<>=]", name)[0].lower() for name in asked}
        pinned = {line.partition("==")[0].lower() for line in (root / "requirements.txt").read_text().splitlines()}
        sold_as = packages_distributions()
        for module, tree, _ in modules():
            for node in ast.walk(tree):
                names = [one.name for one in node.names] if isinstance(node, ast.Import) else []
                names += [node.module] if isinstance(node, ast.ImportFrom) and node.module and not node.level else []
                for name in (one.partition(".")[0] for one in names):
                    if name not in sys.stdlib_module_names and name != "ironmark":
                        sold = {one.lower().replace("_", "-") for one in sold_as[name]}
                        self.assertTrue(sold & named, f"{module} imports {name}: pyproject.toml does not ask for it")
                        self.assertTrue(sold & pinned, f"{module} imports {name}: it is not pinned")
        self.assertLessEqual(named - {"tzdata"}, pinned | {"tzdata"})

    def test_faces_and_parts_import_no_views(self) -> None:
        wrong = [
            f"{path.relative_to(WEB)}: {line.strip()}"
            for folder in ("faces", "parts", "leaf", "api")
            for path in (WEB / folder).rglob("*")
            if path.suffix in (".ts", ".svelte")
            for line in path.read_text("utf-8").splitlines()
            if "views/" in line and ("import" in line or " from " in line)
        ]
        self.assertEqual(wrong, [])
