"""Live sources that are waited for only so long, so that a slow server holds up nothing else."""

from __future__ import annotations

import datetime as dt
import threading
import time
import weakref
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from concurrent.futures import TimeoutError as Unanswered
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import Any, TypeVar

from ironmark.core import formula_nodes
from ironmark.core.periods import Period, RowGrain
from ironmark.core.readings import Members, Totals
from ironmark.tables.cells import Wanted
from ironmark.tables.connections import STATEMENT_S, LiveProblem, Slow
from ironmark.tables.folders import FolderSource
from ironmark.tables.live import LiveSource

PATIENCE_S = 2.0  # how long a page waits for a live source before it shows the rest
GRACE_S = 0.02  # how long a first look waits for what is likely there already
FRESH_S = 60.0  # how long what was read holds
T = TypeVar("T")
Ahead = tuple[Wanted, ...]  # what a page is about to ask of a source


@dataclass
class Look:
    """Looking at what live sources have answered: what has not come is noted and waited for afterwards, when nobody
    else is held up by it. last: nothing will be waited for any more. stopped: those of which something has not come; the others go on. answers: what has come, by who was asked what.
    """

    last: bool = False
    stopped: set[Patient] = field(default_factory=set)
    awaited: list[Future[Any]] = field(default_factory=list)
    answers: dict[tuple[Patient, Any], Any] = field(default_factory=dict)


_look: ContextVar[Look | None] = ContextVar("look", default=None)


def patiently(attempt: Callable[[], T], patience: float = PATIENCE_S) -> T:
    """Attempt something that reads live sources, again each time more of them have answered, at most so long.

    Nothing an attempt holds, a connection or a turn, is held while a source is waited for.
    """
    until, look = time.monotonic() + patience, Look()
    while True:
        look.last, look.stopped, look.awaited = time.monotonic() >= until, set(), []
        token = _look.set(look)
        try:
            found = attempt()
        except Slow:
            if look.last or not look.awaited:
                raise
        else:
            if look.last or not look.awaited:
                return found
        finally:
            _look.reset(token)
        # Each goes on as soon as it has answered, whatever another one does.
        wait(look.awaited, max(0.0, until - time.monotonic()), FIRST_COMPLETED)


class Patient:
    """A live source that is waited for only so long, so that a slow server holds up nothing else.

    What was asked goes on in the background; asked again, it is there. What failed is not asked anew at once.
    """

    def __init__(
        self,
        name: str,
        make: Callable[[], LiveSource | FolderSource],
        patience: float = PATIENCE_S,
        progress: Callable[[], str] = str,
        seconds: int = STATEMENT_S,
    ) -> None:
        """progress: says how far it has come with what it was asked. seconds: how long it may take to answer."""
        self._seconds = seconds
        self.grain: RowGrain = "day"
        self.name, self._make, self._patience, self._progress = name, make, patience, progress
        self._pool = ThreadPoolExecutor(4, thread_name_prefix="live")
        self._asked: dict[Any, Future[Any]] = {}
        self._lock = threading.Lock()
        self._slow_at = self._failed_at = -1e9
        self._failure: LiveProblem | None = None
        self._ahead: dict[Ahead, Future[None]] = {}
        self._source: LiveSource | FolderSource | None = None
        self._made_at = time.monotonic()

    def warm(self) -> None:
        """Begin to open it without waiting."""
        with self._lock:
            if self._source is None and "open" not in self._asked:
                self._asked["open"] = self._pool.submit(self._make)

    @property
    def is_open(self) -> bool:
        future = self._asked.get("open")
        return self._source is not None or (future is not None and future.done() and not future.exception())

    @property
    def age(self) -> float:
        return time.monotonic() - self._made_at

    def _wait(self, key: Any, work: Callable[[], T]) -> T:
        look = _look.get()
        if look is not None and (self, key) in look.answers:
            return look.answers[self, key]  # type: ignore[no-any-return]
        if self._failure is not None and time.monotonic() - self._failed_at < 5:
            raise self._failure
        with self._lock:
            future: Future[T] | None = self._asked.get(key)
            if future is None:
                future = self._asked[key] = self._pool.submit(work)
        return self._settled(key, future)

    def _settled(self, key: Any, future: Future[T]) -> T:
        """What was asked under ``key``, waited for as long as may be. Raises Slow, LiveProblem."""
        now, look = time.monotonic(), _look.get()
        slow = now - self._slow_at < 1
        try:
            # One slow answer is enough for a page: what else it asks of this source is not waited for in turn.
            patience = GRACE_S if slow or look else self._patience
            if look and self in look.stopped:
                patience = 0.0
            found: T = future.result(patience)
        except Unanswered:
            if look is None or look.last:
                self._slow_at = time.monotonic()
            elif not slow:
                look.awaited.append(future)
            if look is not None:
                look.stopped.add(self)
            far = self._progress()
            raise Slow(
                f"“{self.name}” has not answered yet{f': {far}' if far else ''}. The rest of the page is there; this follows "
                f"as soon as it does, or is told when it has not within {self._seconds} s."
            ) from None
        except LiveProblem as error:
            self._failure, self._failed_at = type(error)(f"“{self.name}”: {error}"), time.monotonic()
            self._forget(key, future)
            raise self._failure from None
        except Exception:
            self._forget(key, future)
            raise
        self._forget(key, future)
        if look is not None:
            look.answers[self, key] = found
        return found

    def _forget(self, key: Any, future: Future[Any]) -> None:
        with self._lock:
            if self._asked.get(key) is future:
                del self._asked[key]

    @property
    def _opened(self) -> LiveSource | FolderSource:
        if self._source is None:
            source = self._source = self._wait("open", self._make)
            # It may be given up while others still read from it: it closes when nobody holds it any more.
            weakref.finalize(self, source.close)
        return self._source

    @property
    def first(self) -> dt.date:
        return self._opened.first

    @property
    def last(self) -> dt.date:
        return self._opened.last

    @property
    def through(self) -> dt.date:
        return self._opened.through

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]:
        return self._opened.members

    def ahead_of_page(self, asked: Ahead) -> None:
        """Begin to work out what a page is about to ask for, in one statement for each grain and set of segments. What
        it then asks for one by one waits for that. Once is enough for as long as the source is kept."""
        source = self._opened

        def work() -> None:
            source.ahead_of_page(asked)

        with self._lock:
            if asked not in self._ahead:
                self._ahead[asked] = self._pool.submit(work)

    def _after_what_is_ahead(self) -> None:
        for key, future in list(self._ahead.items()):
            if not future.done():
                self._settled(key, future)
            elif future.exception() is not None:  # it is asked for again, and told, by who needs it
                with self._lock:
                    self._ahead.pop(key, None)

    def aggregate(
        self,
        wanted: Sequence[formula_nodes.Aggregate],
        by: str | None,
        where: Members,
        periods: Sequence[Period],
        until: dt.date | None = None,
    ) -> Totals:
        source = self._opened
        self._after_what_is_ahead()
        scope = tuple(sorted((segment, tuple(names)) for segment, names in where.items()))
        key = (tuple(wanted), by, scope, tuple(periods), until)
        return self._wait(key, lambda: source.aggregate(wanted, by, where, periods, until))

    def within(self, segment: str, other: str) -> Mapping[str, frozenset[str]]:
        source = self._opened
        return self._wait(("within", segment, other), lambda: source.within(segment, other))
