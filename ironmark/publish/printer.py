"""The printer: one Chromium that is kept warm and turns a page into PDF, PNG and SVG, one page at a time."""

from __future__ import annotations

import base64
import contextlib
import ctypes
import io
import os
import re
import shutil
import signal
import subprocess
import threading
import time
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, TypeVar

from PIL import Image

from ironmark.store import scratch

if TYPE_CHECKING:
    from selenium.webdriver import Chrome

STEP_S = 60.0  # that one step may take: a page laid out, printed, or one shot of it
TOO_SLOW = f"a part of the page took longer than {STEP_S:.0f} seconds"
LOOK_S = 2.0  # reading what its processes hold slows them down
IDLE_S = 600.0  # after which a printer nobody needs is ended
MOST_BYTES = 1_500_000_000  # of memory, all its processes together, after which it is started anew
TIDY = 2  # parts after which memory is given back
SHOT = 3_000  # pixels of a page that are drawn at once
MOST_PIXELS = 16_000  # of a picture's side
FLAGS = (
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage",
    "--disable-extensions", "--hide-scrollbars", "--force-prefers-reduced-motion", "--renderer-process-limit=1",
    "--js-flags=--max-old-space-size=768", "--host-resolver-rules=MAP * ~NOTFOUND", "--window-size=1280,800",
)  # fmt: skip
HOW = (
    "Start the server with ./run --with-printer, which installs it, or install the Debian packages chromium, "
    "chromium-driver and poppler-utils yourself, and try again. All other forms can be saved without it."
)
Stopped = Callable[[], bool]
Made = TypeVar("Made")


class NoPrinter(Exception):
    """There is no Chromium on this machine."""


class PrinterFailed(Exception):
    """The page could not be drawn: the printer died, or took too long."""


class TooLong(Exception):
    """It does not fit what was asked for; why is told in words."""


class PrintingStopped(Exception):
    """Somebody asked it to stop."""


@dataclass(frozen=True, slots=True)
class Piece:
    """A sheet as a picture, and where it stands, in pixels of the page. of: which slide it is put on, from 0."""

    sheet: str
    of: int
    x: float
    y: float
    width: float
    height: float
    png: bytes


@dataclass(frozen=True, slots=True)
class Job:
    """html: a page that stays open in the printer; told: what it is told to draw. Without it the page is all there is.
    on: what it is laid out for; what is laid out for paper at once is printed sooner."""

    html: bytes
    told: bytes = b""
    on: Literal["print", "screen"] = "screen"


def there() -> bool:
    return all(shutil.which(name) for name in ("chromium", "chromedriver", "pdftocairo"))


def _ends_with_us() -> None:
    """The driver ends when the server does, however that ends; what it leaves, the next start sweeps."""
    os.setsid()
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


class Printer:
    """Used by one thread at a time. A page that fails is tried once more, with a printer started anew."""

    def __init__(self) -> None:
        self._driver: Chrome | None = None
        self._group = 0
        self._place: Path | None = None
        self._open: bytes | None = None
        self._on = ""
        self._lock = threading.Lock()
        self._used = time.monotonic()
        self._until = 0.0
        self._ended = ""
        self._parts = 0

    # What it makes of a page

    def pdf(self, job: Job, stopped: Stopped, tell: Callable[[int], None] = lambda placed: None) -> bytes:
        """A page in its paper form, as many pages as it takes. tell: told how many readings of its open list found room, as
        soon as that is known."""
        return self._twice(job, stopped, lambda driver: self._paper(driver, tell))

    def svg(self, job: Job, title: str, stopped: Stopped) -> bytes:
        """A page or a sheet as a drawing that stands alone: its texts are outlines."""
        return outlined(self._twice(job, stopped, self._as_one_page), title)

    def png(self, job: Job, scale: int, stopped: Stopped) -> bytes:
        return self._twice(job, stopped, lambda driver: self._shot(driver, scale))

    def pieces(self, job: Job, scale: int, bare: Collection[str], stopped: Stopped) -> list[Piece]:
        """Every sheet of a page with its place, and as a picture of its own. bare: those no picture is needed of."""
        return self._twice(job, stopped, lambda driver: self._pieces(driver, scale, bare, stopped))

    def _twice(self, job: Job, stopped: Stopped, work: Callable[[Any], Made]) -> Made:
        with self._lock:
            for last in (False, True):
                try:
                    return self._once(job, stopped, work)
                except (NoPrinter, PrintingStopped, TooLong):
                    raise
                except Exception as error:
                    self._end()
                    if last:
                        raise PrinterFailed(self._ended or _why(error)) from error
        raise AssertionError

    def _once(self, job: Job, stopped: Stopped, work: Callable[[Any], Made]) -> Made:
        driver = self._warm()
        assert self._place is not None
        page = self._place / "page.html"
        with self._watched():
            if self._on != job.on:
                driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": job.on})
                self._on = job.on
            if self._open is not job.html:
                page.write_bytes(job.html)
                driver.get(page.as_uri())
                self._open = job.html if job.told else None
            if job.told:
                driver.execute_script("draw(arguments[0])", job.told.decode())
            while driver.execute_script("return document.documentElement.dataset.ready") != "yes":
                if stopped():
                    raise PrintingStopped
                time.sleep(0.02)
            self._go_on()
            made = work(driver)
        self._used = time.monotonic()
        return made

    @contextmanager
    def _watched(self) -> Iterator[None]:
        """End the printer where a step takes too long or it holds too much memory; what is asked of it then fails."""
        over = threading.Event()
        self._ended = ""
        self._go_on()

        def watch() -> None:
            while not over.wait(LOOK_S):
                if time.monotonic() > self._until:
                    self._ended = TOO_SLOW
                elif scratch.held_bytes(scratch.members(self._group)) > MOST_BYTES:
                    self._ended = f"a part of the page took more than {MOST_BYTES / 1e9:g} GB of memory"
                else:
                    continue
                self._kill()
                return

        watching = threading.Thread(target=watch, name="printer", daemon=True)
        watching.start()
        try:
            yield
        finally:
            over.set()
            watching.join()

    def _go_on(self) -> None:
        """A step is done: the next has as long."""
        self._until = time.monotonic() + STEP_S

    def _paper(self, driver: Any, tell: Callable[[int], None]) -> bytes:
        tell(driver.execute_script("return Number(document.documentElement.dataset.placed ?? 0)"))
        made = self._print(driver, preferCSSPageSize=True)
        self._parts += 1
        if self._parts % TIDY == 0:  # by itself it would hold three parts and more
            driver.execute_cdp_cmd("HeapProfiler.collectGarbage", {})
        return made

    def _print(self, driver: Any, **how: Any) -> bytes:
        told = {"printBackground": True, "generateTaggedPDF": True, "generateDocumentOutline": True, **how}
        return base64.b64decode(driver.execute_cdp_cmd("Page.printToPDF", told)["data"])

    def _box(self, driver: Any) -> tuple[float, float]:
        width, height = driver.execute_script(
            "const e = document.querySelector('[data-sheet]') ?? document.querySelector('main');"
            "const b = e.getBoundingClientRect(); return [Math.ceil(b.width), Math.ceil(b.height)]"
        )
        if max(width, height) > MOST_PIXELS:
            raise TooLong("The page is too long for one picture. Take it out as PDF, or choose one of its sheets.")
        return width, height

    def _as_one_page(self, driver: Any) -> bytes:
        width, height = self._box(driver)
        return self._print(
            driver, paperWidth=width / 96, paperHeight=(height + 1) / 96, marginTop=0, marginBottom=0, marginLeft=0,
            marginRight=0, pageRanges="1",
        )  # fmt: skip

    def _shot(self, driver: Any, scale: int) -> bytes:
        width, height = self._box(driver)
        if max(width, height) * scale > MOST_PIXELS:
            raise TooLong(f"The page is too long for a picture at {scale}×. Choose a smaller one, one sheet, or PDF.")
        return self._clip(driver, 0, 0, width, height, scale)

    def _clip(self, driver: Any, x: float, y: float, width: float, height: float, scale: int) -> bytes:
        clip = {"x": x, "y": y, "width": width, "height": height, "scale": scale}
        told = {"format": "png", "captureBeyondViewport": True, "clip": clip}
        shot = base64.b64decode(driver.execute_cdp_cmd("Page.captureScreenshot", told)["data"])
        self._go_on()
        return shot

    def _pieces(self, driver: Any, scale: int, bare: Collection[str], stopped: Stopped) -> list[Piece]:
        boxes = driver.execute_script(
            "return [...document.querySelectorAll('[data-sheet]')].map(e => {"
            "const b = e.getBoundingClientRect();"
            "return [e.dataset.sheet, b.x + scrollX, b.y + scrollY, b.width, b.height,"
            "Number(e.closest('[data-page]')?.dataset.page ?? 0)] })"
        )
        wanted = [box for box in boxes if box[0] not in bare]
        pictures: dict[str, bytes] = {}
        while wanted:  # a shot takes long, however small it is: many sheets are cut out of one
            if stopped():
                raise PrintingStopped
            top = wanted[0][2]
            some = [box for box in wanted if box[2] + box[4] <= top + SHOT] or wanted[:1]
            wanted = [box for box in wanted if box not in some]
            x = min(box[1] for box in some)
            width, height = (max(box[at] + box[at + 2] for box in some) for at in (1, 2))
            shot = self._clip(driver, x, top, width - x, height - top, scale)
            pictures |= _cut(
                shot, [(_part(box[0], box[5]), box[1] - x, box[2] - top, box[3], box[4]) for box in some], scale
            )
        return [Piece(name, of, x, y, w, h, pictures.get(_part(name, of), b"")) for name, x, y, w, h, of in boxes]

    # Its process

    def warm(self) -> None:
        """Begin it, where it has not: it ends when the thread does that began it. Raises NoPrinter."""
        with self._lock:
            self._warm()

    def _warm(self) -> Any:
        if self._driver is not None and not scratch.runs(self._group):
            self._end()
        if self._driver is not None and scratch.held_bytes(scratch.members(self._group)) > MOST_BYTES / 2:
            self._end()
        if self._driver is None:
            self._start()
        assert self._driver is not None
        return self._driver

    def _start(self) -> None:
        from selenium.webdriver import Chrome, ChromeOptions
        from selenium.webdriver.chrome.service import Service

        if not there():
            raise NoPrinter
        self._place = scratch.make("printer")
        options = ChromeOptions()
        options.binary_location = shutil.which("chromium") or ""
        for flag in (*FLAGS, f"--user-data-dir={self._place / 'profile'}"):
            options.add_argument(flag)
        service = Service(shutil.which("chromedriver"), popen_kw={"preexec_fn": _ends_with_us})
        driver = Chrome(options, service)
        self._group = service.process.pid
        (self._place / scratch.GROUP).write_text(str(self._group))
        driver.set_page_load_timeout(STEP_S)
        driver.set_script_timeout(STEP_S)
        size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
        driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
        self._driver = driver

    @property
    def pid(self) -> int:
        """The process group of the printer; 0 while there is none."""
        return self._group

    def rest(self) -> None:
        """End a printer that nobody has needed for a while."""
        if self._driver is not None and time.monotonic() - self._used > IDLE_S and self._lock.acquire(blocking=False):
            try:
                self._end()
            finally:
                self._lock.release()

    def close(self) -> None:
        """End it at once, whatever it draws."""
        self._kill()

    def end(self) -> None:
        """End it and take away what it left; not while it draws."""
        self._end()

    def _end(self) -> None:
        driver, self._driver, self._open, self._on = self._driver, None, None, ""
        self._kill()
        if driver is not None:
            with contextlib.suppress(Exception):
                driver.command_executor.close()  # type: ignore[union-attr]
        if self._place is not None:
            shutil.rmtree(self._place, ignore_errors=True)
            self._place = None

    def _kill(self) -> None:
        scratch.end_group(self._group)
        self._group = 0


def _why(error: Exception) -> str:
    """What became of a printer, in words."""
    if isinstance(error, TimeoutError) or "timeout" in type(error).__name__.lower():
        return TOO_SLOW
    if isinstance(error, (OSError, MemoryError)) or "urllib3" in type(error).__module__:
        return "it ended in the middle of it, as it does where there is too little memory"
    return str(error).removeprefix("Message: ").splitlines()[0][:300] if str(error).strip() else "it ended"


def outlined(pdf: bytes, title: str) -> bytes:
    """The first page of a PDF as SVG, its texts as outlines, as large as the page is in pixels.

    title: what it shows, for those who do not see it.
    """
    made = subprocess.run(
        ["pdftocairo", "-svg", "-f", "1", "-l", "1", "-", "-"], input=pdf, capture_output=True, timeout=STEP_S, check=True
    )  # fmt: skip
    return _SIZED.sub(lambda found: _head(found, title), made.stdout.decode(), count=1).encode()


_SIZED = re.compile(r'(<svg[^>]*?) width="([\d.]+)(?:pt)?" height="([\d.]+)(?:pt)?"([^>]*)>')


def _head(found: re.Match[str], title: str) -> str:
    width, height = (f"{float(points) / 0.75:g}" for points in (found[2], found[3]))
    return f'{found[1]} width="{width}" height="{height}"{found[4]} role="img"><title>{escape(title)}</title>'


def _part(sheet: str, of: int) -> str:
    """What the picture of a sheet on a slide goes by: a list may run on over several."""
    return f"{of}:{sheet}"


def _cut(shot: bytes, boxes: Sequence[tuple[str, float, float, float, float]], scale: int) -> dict[str, bytes]:
    """Pictures cut out of a larger one, by what each is of."""
    found = {}
    with Image.open(io.BytesIO(shot)) as image:
        for name, x, y, width, height in boxes:
            left, upper, right, lower = (round(part * scale) for part in (x, y, x + width, y + height))
            buffer = io.BytesIO()
            image.crop((left, upper, right, lower)).save(buffer, "PNG")
            found[name] = buffer.getvalue()
    return found
