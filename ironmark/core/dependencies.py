"""What formulas depend on: the KPIs and assumptions that they name."""

from __future__ import annotations

from functools import lru_cache

from ironmark.core.formula import parse
from ironmark.core.formula_nodes import FormulaError, references


def handles_in(*texts: str) -> tuple[str, ...]:
    """The handles that formulas name, each once, in their order; a text that cannot be read names none.

    A handle is a whole word of the formula: ``@fare`` is not named in ``@fare_revenue``.
    """
    return tuple(dict.fromkeys(handle for text in texts for handle in _handles(text)))


@lru_cache(maxsize=512)
def _handles(text: str) -> tuple[str, ...]:
    try:
        return references(parse(text)) if text else ()
    except FormulaError:
        return ()
