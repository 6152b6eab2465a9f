"""What a PDF is made up of, told to those who have it read to them: the trees of its parts as one.

A browser tells more of a cell than is so for the whole: names that are unlike only within their part, the heads of a cell
by those names, and that it spans one row and one column, which it would anyway. All of it is left out before a part is
read, since that is most of what joining it takes. That a head is one of a row or a column stays.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from pikepdf import Array, Dictionary, Name, Pdf

_SPACE = rb"[ \r\n]*"
_SAID = rb"/(?:(?:RowSpan|ColSpan) 1|Headers \[[^\]]*\])"
_ANYWAY = re.compile(
    rb"<<%(space)s(?:/O /Table%(space)s%(said)s|%(said)s%(space)s/O /Table)%(space)s>>" % {b"space": _SPACE, b"said": _SAID}
)  # fmt: skip
_NAMED = re.compile(rb"/ID \(node\d+\)|/Ref \[[^\]]*\]")
_EMPTY = re.compile(rb"/A \[%s\]" % _SPACE)


def plain(file: bytes) -> bytes:
    """A part as the browser made it without what is left out: as long as before, so that all in it is found where it was."""
    for found in (_ANYWAY, _NAMED, _EMPTY):
        file = found.sub(lambda said: b" " * len(said[0]), file)
    return file


def renumber(page: Any, offset: int) -> None:
    """Have a page name its places in a parent tree that begins further on."""
    if Name.StructParents in page:
        page.StructParents = int(page.StructParents) + offset
    for note in page.get(Name.Annots, []):
        if Name.StructParent in note:
            note.StructParent = int(note.StructParent) + offset


def one_tree(whole: Pdf, trees: Sequence[Any]) -> None:
    """trees: of the parts, in their order, as they were copied."""
    root = whole.make_indirect(Dictionary(Type=Name.StructTreeRoot))
    document = whole.make_indirect(Dictionary(Type=Name.StructElem, S=Name.Document, P=root, K=Array()))
    numbers, offset = Array(), 0
    for tree in trees:
        top = tree.K if not isinstance(tree.K, Array) else tree.K[0]
        kids = top.get(Name.K, Array())
        for kid in kids if isinstance(kids, Array) else [kids]:
            if isinstance(kid, Dictionary):
                kid.P = document
                document.K.append(kid)
        flat = list(tree.ParentTree.get(Name.Nums, []))
        for key, held in zip(flat[::2], flat[1::2], strict=True):
            numbers.append(int(key) + offset)
            numbers.append(held)
        offset += int(tree.ParentTreeNextKey)
    root.K = document
    root.ParentTree = whole.make_indirect(Dictionary(Nums=numbers))
    root.ParentTreeNextKey = offset
    whole.Root.StructTreeRoot = root
    whole.Root.MarkInfo = Dictionary(Marked=True)
