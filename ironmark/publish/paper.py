"""PDF: a page printed in parts, joined, with the same margins on every page, bookmarks, metadata and the marks of PDF/A-2u.

What PDF/A asks for and a browser does not make by itself: XMP metadata, an output intent, an identifier, and annotations
that are printed. Fonts are within and every sign of them can be read as text.
"""

from __future__ import annotations

import io
import re
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from queue import Queue
from tempfile import NamedTemporaryFile
from typing import Any

import pikepdf
from pikepdf import Array, Dictionary, Name, Pdf, String
from PIL import ImageCms

from ironmark.publish import tags
from ironmark.publish.export_page import ExportPage
from ironmark.publish.page import Form, Images, Paper, cover, job, margins
from ironmark.publish.parts import MOST, parts
from ironmark.publish.printer import Job, Printer, PrintingStopped, Stopped

MAKER = "Iron Mark"
FRONT = 2  # pages of a book before its first one
SEE_MOST = 3  # levels of bookmarks: title, section, sheet
Told = Callable[[float], bool]  # which share is done; whether it should stop


def as_pdf(
    leaves: Sequence[tuple[ExportPage, Images]], paper: Paper, printer: Printer, tell: Told, finish: Callable[[Pdf], None],
    front: Callable[[Sequence[int]], str] | None = None, name: str = "",
) -> bytes:  # fmt: skip
    """Pages one after the other as one document. finish: what is done to it before it is written; front: its cover and
    contents, told the page that each begins on; name: of a book. Raises PrintingStopped, PrinterFailed."""
    counts = [max(1, sum(len(sheet.readings) for sheet in leaf.frozen.page.sheets)) for leaf, _ in leaves]
    total, done = sum(counts), 0
    printed: deque[tuple[int, Future[bytes]]] = deque()
    with Pdf.new() as whole:
        joint = _Joint(whole, len(leaves))

        def join(wait: bool) -> None:
            """Join what is printed, in its order: while others still are, since the printers leave time for it."""
            while printed and (wait or printed[0][1].done()):
                of, file = printed.popleft()
                joint.add(of, file.result())
                if wait and tell(0.95):
                    raise PrintingStopped

        with _Pair(printer, total > MOST) as pair:
            for of, (leaf, images) in enumerate(leaves):
                some = parts(leaf)
                part = next(some)
                while True:
                    stopped = partial(tell, 0.95 * done / total)
                    file, placed = pair.print(job(leaf, images, Form("paper", paper, part=part)), stopped, part.last)
                    printed.append((of, file))
                    join(wait=False)
                    done = sum(counts[:of]) + (placed if part.open else 1)
                    try:
                        part = some.send(placed)
                    except StopIteration:
                        break
                done = sum(counts[: of + 1])
        join(wait=True)
        if front is not None:
            joint.put_before(
                lambda starts: printer.pdf(Job(cover(front(starts), paper), on="print"), lambda: tell(0.96))
            )
        return joint.as_bytes([leaf for leaf, _ in leaves], paper, printer, lambda: tell(0.97), name, finish)


class _Pair:
    """Two printers by turns: while one prints a part, the other lays the next one out. The second is only begun where
    there are several parts, and ended with them."""

    def __init__(self, first: Printer, several: bool) -> None:
        """several: whether there are several parts for sure."""
        self._printers, self._several = [first, Printer()], several
        self._pool = ThreadPoolExecutor(2, thread_name_prefix="printer")
        self._busy: list[Future[bytes] | None] = [None, None]
        self._turn = 0

    def __enter__(self) -> _Pair:
        if self._several and not self._printers[0].pid:
            # None is warm: the second begins while the page is drawn, and takes the first part.
            self._turn = 1
            self._pool.submit(self._printers[1].warm)
        return self

    def __exit__(self, *_: object) -> None:
        self._pool.shutdown()
        self._printers[1].end()

    def print(self, what: Job, stopped: Stopped, last: bool) -> tuple[Future[bytes], int]:
        """The part as it will come, and how many readings of its open list found room. last: no part comes after it."""
        at, self._turn = self._turn, 1 - self._turn
        before = self._busy[at]
        if before is not None:
            before.result()  # raises what befell it
        self._printers[at].warm()
        known: Queue[int | None] = Queue()
        file = self._pool.submit(self._printers[at].pdf, what, stopped, known.put)
        file.add_done_callback(lambda _: known.put(None))
        self._busy[at] = file
        other = self._printers[self._turn]
        if not last and not other.pid:  # begun meanwhile, by a thread that lasts as long as it is needed
            if other is self._printers[0]:
                other.warm()
            else:
                self._pool.submit(other.warm)
        placed = known.get()
        if placed is None:
            file.result()
        return file, placed or 0


class _Joint:
    """Parts as they become one document. pages: how many there are of each page of a book."""

    def __init__(self, whole: Pdf, leaves: int) -> None:
        self._whole = whole
        self._counts = [0] * leaves
        self._outline: list[Bookmark] = []
        self._trees: list[Any] = []
        self._key = 0
        self._front = 0

    def add(self, of: int, file: bytes) -> None:
        with NamedTemporaryFile(prefix="ironmark-part-") as place, _as_file(place, tags.plain(file)) as source:
            self._outline += _bookmarks(source, sum(self._counts))
            self._counts[of] += len(source.pages)
            tree = source.Root.StructTreeRoot
            for page in source.pages:
                tags.renumber(page.obj, self._key)
            self._key += int(tree.ParentTreeNextKey)
            self._whole.pages.extend(source.pages)
            self._trees.append(self._whole.copy_foreign(tree))

    def put_before(self, printed: Callable[[Sequence[int]], bytes]) -> None:
        """Have a cover and contents stand before the pages. printed: told on which page each begins."""
        length = FRONT
        for _ in range(2):  # contents that take more pages than were thought of are printed once more
            starts = [1 + length + sum(self._counts[:at]) for at in range(len(self._counts))]
            with pikepdf.open(io.BytesIO(tags.plain(printed(starts)))) as source:
                found, length = len(source.pages), len(source.pages)
                if found != starts[0] - 1:
                    continue
                for page in source.pages:
                    tags.renumber(page.obj, self._key)
                for at, page in enumerate(source.pages):
                    self._whole.pages.insert(at, page)
                self._trees.append(self._whole.copy_foreign(source.Root.StructTreeRoot))
                self._key += int(source.Root.StructTreeRoot.ParentTreeNextKey)
                moved = [Bookmark(mark.level, mark.title, mark.page + found, mark.top) for mark in self._outline]
                self._outline = [Bookmark(0, "Contents", found - 1, 10_000), *moved]
                self._front = found
                return

    def as_bytes(
        self, leaves: Sequence[ExportPage], paper: Paper, printer: Printer, stopped: Stopped, name: str,
        finish: Callable[[Pdf], None],
    ) -> bytes:  # fmt: skip
        whole = self._whole
        tags.one_tree(whole, self._trees)
        told = [("", "", ""), *(_margin(leaf) for leaf in leaves)]
        frame = printer.pdf(Job(margins(told, [self._front, *self._counts], paper), on="print"), stopped)
        with pikepdf.open(io.BytesIO(frame)) as source:
            _framed(whole, source)
            _bookmarked(whole, self._outline)
            _named(whole, leaves, name)
            finish(whole)
            buffer = io.BytesIO()
            whole.save(
                buffer, deterministic_id=True, min_version="1.7", object_stream_mode=pikepdf.ObjectStreamMode.generate,
                recompress_flate=False,
            )  # fmt: skip
        return buffer.getvalue()


def _as_file(place: Any, made: bytes) -> Pdf:
    """Thousands of small reads take half as long from a file as from bytes that Python is asked for each time."""
    place.write(made)
    place.flush()
    return pikepdf.open(place.name)


def _margin(leaf: ExportPage) -> tuple[str, str, str]:
    """What stands at the top of a page to the left and to the right, and at its foot."""
    told = [
        f"Data through {leaf.through_words}" if leaf.through else "",
        f"#{leaf.about.sha256[:12]}" if leaf.about else "",
    ]
    return leaf.title, leaf.heading, " · ".join(part for part in told if part)


# Bookmarks


@dataclass(frozen=True, slots=True)
class Bookmark:
    level: int
    title: str
    page: int
    top: float


_GOES_ON = re.compile(r"^(.*), (\d[\d,.’'\s]*) to \d[\d,.’'\s]* of \d[\d,.’'\s]*$", re.S)


def _bookmarks(source: Pdf, first: int) -> list[Bookmark]:
    """Titles, sections and sheets of a part; a list that goes on has one, where it begins."""
    pages: dict[Any, int] = {page.objgen: at for at, page in enumerate(source.pages)}
    with source.open_outline() as outline:
        found = list(_outlined(outline.root, 0, pages))
    return [replace(mark, page=first + mark.page) for mark in found]


def _outlined(items: Any, level: int, pages: Mapping[Any, int]) -> Iterator[Bookmark]:
    for item in items:
        title, place = item.title.strip(), item.destination
        on = _GOES_ON.match(title)
        if title and isinstance(place, Array) and (on is None or on[2] == "1"):
            yield Bookmark(level, on[1] if on else title, pages.get(place[0].objgen, 0), float(place[3]))
        if level + 1 < SEE_MOST:
            yield from _outlined(item.children, level + 1, pages)


def _bookmarked(whole: Pdf, found: Sequence[Bookmark]) -> None:
    """Each below the last one of a higher level. A part that does not begin with a title is below the last one."""
    with whole.open_outline() as outline:
        above: list[pikepdf.OutlineItem] = []
        for mark in found:
            level = min(mark.level, len(above))
            item = pikepdf.OutlineItem(mark.title, mark.page, pikepdf.PageLocation.XYZ, left=0, top=mark.top, zoom=0)
            (above[level - 1].children if level else outline.root).append(item)
            del above[level:]
            above.append(item)
            item.is_closed = level > 0
    whole.Root.PageMode = Name.UseOutlines


# Margins, names and what makes it last


def _framed(whole: Pdf, frame: Pdf) -> None:
    """Lay the margins over the pages, told as what is no part of the text."""
    for page, over in zip(whole.pages, frame.pages, strict=True):
        form = whole.copy_foreign(over.as_form_xobject())
        for name in (Name.StructParents, Name.StructParent):
            if name in form:
                del form[name]
        name = page.add_resource(form, Name.XObject)
        page.contents_add(b"q", prepend=True)
        page.contents_add(b"Q /Artifact BMC q %s Do Q EMC" % str(name).encode())


def _named(whole: Pdf, leaves: Sequence[ExportPage], name: str) -> None:
    first = leaves[0]
    title = name or first.name
    about = first.about
    author = (about.published_by or about.made_by) if about else ""
    subject = "; ".join(dict.fromkeys(leaf.heading for leaf in leaves))
    root = whole.Root
    root.Lang = String("en-GB")
    root.ViewerPreferences = Dictionary(DisplayDocTitle=True)
    profile = whole.make_stream(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes(), N=3)
    root.OutputIntents = Array(
        [
            whole.make_indirect(
                Dictionary(
                    Type=Name.OutputIntent, S=Name.GTS_PDFA1, OutputConditionIdentifier=String("sRGB IEC61966-2.1"),
                    Info=String("sRGB IEC61966-2.1"), DestOutputProfile=profile,
                )
            )
        ]
    )  # fmt: skip
    for page in whole.pages:
        for note in page.obj.get(Name.Annots, []):
            note.F = 4
    with whole.open_metadata(set_pikepdf_as_editor=False) as told:
        told["dc:title"] = title
        told["dc:creator"] = [author or MAKER]
        told["dc:description"] = subject
        told["dc:language"] = ["en-GB"]
        told["xmp:CreatorTool"] = MAKER
        told["pdf:Producer"] = MAKER
        if about:
            told["xmp:CreateDate"] = told["xmp:ModifyDate"] = about.published_at or about.made_at
        told["pdfaid:part"] = "2"
        told["pdfaid:conformance"] = "U"
