"""Which changes of core its own tests do not notice.

python -m tests.mutate [COUNT] [SEED] [MODULE ...]: so many operators, comparisons and constants within functions of
``ironmark/core`` are changed, one at a time, chosen by the seed; MODULE narrows to some, as in ``reading``. All tests of core
run once, to see which functions each of them calls. For each change the function's code is swapped, the tests that call it are
run, the quickest first, up to the first that fails, and the code is put back.
"""

from __future__ import annotations

import ast
import copy
import importlib
import random
import signal
import sys
import time
import types
import unittest
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

CORE = Path(__file__).parents[1] / "ironmark" / "core"
SECONDS = 60  # that the tests of one change may take; one that never ends is noticed

_OPERATORS: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.FloorDiv: ast.Mult, ast.Mod: ast.Mult,
    ast.Pow: ast.Mult, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip
_COMPARISONS: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip


@dataclass(frozen=True)
class Change:
    """One change. at: which node of its function, in the order of a walk."""

    module: str
    function: str
    at: int
    line: int
    said: str


def _changed(node: ast.AST) -> ast.AST | None:
    """A node with another operator, comparison or constant; None for one that has none."""
    found = copy.deepcopy(node)
    if (isinstance(found, ast.BinOp) and type(found.op) in _OPERATORS and not _words(found)) or (
        isinstance(found, ast.AugAssign) and type(found.op) in _OPERATORS and not _words(found)
    ):
        found.op = _OPERATORS[type(found.op)]()
    elif isinstance(found, ast.Compare):
        found.ops[0] = _COMPARISONS[type(found.ops[0])]()
    elif isinstance(found, ast.BoolOp):
        found.op = ast.Or() if isinstance(found.op, ast.And) else ast.And()
    elif isinstance(found, ast.UnaryOp) and isinstance(found.op, ast.Not):
        return found.operand
    elif isinstance(found, ast.Constant) and type(found.value) in (int, float):
        found.value = found.value + 1
    elif isinstance(found, ast.Constant) and isinstance(found.value, bool):
        found.value = not found.value
    else:
        return None
    return found


def _words(node: ast.AST) -> bool:
    """Whether texts or annotations are put together: no arithmetic."""
    return any(isinstance(part, (ast.JoinedStr, ast.Constant)) and not _is_number(part) for part in ast.walk(node))


def _is_number(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, (int, float))


def _body(function: ast.FunctionDef) -> Iterator[ast.AST]:
    """The nodes of a function that are worked out when it is called, in one order."""
    waiting: list[ast.AST] = list(function.body)
    while waiting:
        node = waiting.pop(0)
        yield node
        waiting += [
            part
            for name, part in _parts_of(node)
            if not (isinstance(node, (ast.AnnAssign, ast.arg)) and name == "annotation")
        ]


def _parts_of(node: ast.AST) -> Iterator[tuple[str, ast.AST]]:
    for name, held in ast.iter_fields(node):
        for one in held if isinstance(held, list) else [held]:
            if isinstance(one, ast.AST):
                yield name, one


def _functions(tree: ast.Module) -> Iterator[tuple[str, ast.FunctionDef]]:
    for node in tree.body:
        if isinstance(node, ast.FunctionDef):
            yield node.name, node
        elif isinstance(node, ast.ClassDef):
            yield from ((f"{node.name}.{one.name}", one) for one in node.body if isinstance(one, ast.FunctionDef))


def changes(only: list[str]) -> list[Change]:
    found = []
    for path in sorted(CORE.glob("*.py")):
        if only and path.stem not in only:
            continue
        for name, function in _functions(ast.parse(path.read_text("utf-8"))):
            for at, node in enumerate(_body(function)):
                if (other := _changed(node)) is not None and ast.unparse(node) != ast.unparse(other):
                    said = f"{ast.unparse(node)}  →  {ast.unparse(other)}".replace("\n", " ")
                    found.append(Change(path.stem, name, at, getattr(node, "lineno", 0), said))
    return found


def _code(change: Change) -> types.CodeType:
    """The code of the changed function."""
    path = CORE / f"{change.module}.py"
    tree = ast.parse(path.read_text("utf-8"))
    function = dict(_functions(tree))[change.function]
    target = list(_body(function))[change.at]
    other = _changed(target)
    assert other is not None

    class Swap(ast.NodeTransformer):
        def visit(self, node: ast.AST) -> ast.AST:
            return other if node is target else self.generic_visit(node)

    function.body = [Swap().visit(statement) for statement in function.body]
    whole = compile(ast.fix_missing_locations(tree), str(path), "exec")
    for part in change.function.split("."):
        whole = next(code for code in whole.co_consts if isinstance(code, types.CodeType) and code.co_name == part)
    return whole


def _holder(change: Change) -> types.FunctionType:
    """The function whose code is swapped, whatever wraps it."""
    found: object = importlib.import_module(f"ironmark.core.{change.module}")
    *owners, name = change.function.split(".")
    for owner in owners:
        found = getattr(found, owner)
    found = vars(found).get(name) if owners else getattr(found, name)
    for inner in ("__func__", "fget", "func", "__wrapped__"):
        found = getattr(found, inner, found)
    assert isinstance(found, types.FunctionType), change
    return found


def _tests() -> list[unittest.TestCase]:
    def flat(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
        for one in suite:
            if isinstance(one, unittest.TestSuite):
                yield from flat(one)
            else:
                yield one

    return list(flat(unittest.defaultTestLoader.discover("tests/core", top_level_dir=".")))


def _passes(test: unittest.TestCase) -> bool:
    result = unittest.TestResult()
    unittest.TestSuite([test]).run(result)
    return result.wasSuccessful()


def called_by(tests: list[unittest.TestCase]) -> tuple[dict[tuple[str, str], list[int]], list[float]]:
    """Which tests call each function of core, and how long each test takes."""
    calls: dict[tuple[str, str], list[int]] = {}
    took = []
    for at, test in enumerate(tests):
        seen: set[types.CodeType] = set()

        def look(frame: types.FrameType, event: str, _: object, seen: set[types.CodeType] = seen) -> None:
            if event == "call":
                seen.add(frame.f_code)

        _forget()
        begun = time.perf_counter()
        sys.setprofile(look)
        passed = _passes(test)
        sys.setprofile(None)
        took.append(time.perf_counter() - begun)
        if not passed:
            raise SystemExit(f"{test.id()} fails before anything is changed.")
        for code in seen:
            if code.co_filename.startswith(str(CORE)):
                place = Path(code.co_filename).stem, code.co_qualname.split(".<locals>")[0]
                if at not in calls.setdefault(place, []):
                    calls[place].append(at)
    return calls, took


def _forget() -> None:
    """Give up what was worked out before the change."""
    for name, module in list(sys.modules.items()):
        if name.startswith("ironmark."):
            for held in vars(module).values():
                if hasattr(held, "cache_clear"):
                    held.cache_clear()


class TooLong(BaseException):
    """Tests of a change did not end in time."""


def _too_long(_signal: int, _frame: object) -> None:
    raise TooLong


def noticed(change: Change, tests: list[unittest.TestCase]) -> bool:
    """Whether a test fails with the change, or does not end. In this process: one that is copied has no threads, and
    waits for ever for what they would do."""
    function = _holder(change)
    before = function.__code__
    signal.signal(signal.SIGALRM, _too_long)
    try:
        signal.alarm(SECONDS)
        _forget()
        function.__code__ = _code(change)
        return not all(_passes(test) for test in tests)
    except TooLong:
        return True
    finally:
        signal.alarm(0)
        function.__code__ = before
        _forget()


def main(arguments: list[str]) -> int:
    numbers = [int(one) for one in arguments if one.isdigit()]
    count, seed = (*numbers, 200, 1)[:2] if len(numbers) < 2 else numbers[:2]
    every = changes([one for one in arguments if not one.isdigit()])
    some = random.Random(seed).sample(every, min(count, len(every)))
    tests = _tests()
    calls, took = called_by(tests)
    unseen, begun = [], time.perf_counter()
    for change in some:
        mine = sorted(calls.get((change.module, change.function), []), key=lambda at: took[at])
        if not mine or not noticed(change, [tests[at] for at in mine]):
            unseen.append(change)
            why = "no test calls it" if not mine else f"{len(mine)} tests call it"
            print(f"core/{change.module}.py:{change.line} {change.function} ({why}): {change.said}", flush=True)
    share = 1 - len(unseen) / max(1, len(some))
    print(
        f"{len(some) - len(unseen)} of {len(some)} changes were noticed ({share:.0%}), in {time.perf_counter() - begun:.0f} s"
    )
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
