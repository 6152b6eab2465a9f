"""What happens without a request: one thread in each server process, of which the one with the lease works."""

from __future__ import annotations

import secrets
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import structlog
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.core.formula_nodes import FormulaError
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets import refreshing
from ironmark.pages.model.problems import Refused
from ironmark.pages.publishing import standing as orders
from ironmark.pages.publishing.restatement_counter import Restating
from ironmark.pages.publishing.scorecard_summaries import Glancing
from ironmark.pages.watches import looking
from ironmark.pages.watches.histories import FORESEEN
from ironmark.store import change_log, leases, openings, outbox, refreshes, standing, trail
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem
from ironmark.tables.table import Unreadable
from ironmark.work import meters
from ironmark.work.looking_ahead import look_ahead
from ironmark.work.printing import Printing
from ironmark.work.sending import EACH, MOST_BEGUN, Sending

LEASE_S, LOOK_S = 20, 0.5
RENEW_S = LEASE_S / 3
AT_ONCE = 3
# Before the key of a standing order; of all glances; of the trail; before the key of a watch.
ORDER, GLANCES, TRAIL, WATCH = "order:", "glances:", "trail:", "watch:"
TIDY_S = 3600.0
SETTLES_S, RESTLESS_S = 0.8, 10.0  # how long nothing changes before watches look, and at most how long they wait
Work = Callable[[Sources, str, Callable[[Session], None]], None]
Foreseen = tuple[type[Exception], ...]
log = structlog.get_logger()


class Worker:
    """Looks every second for what is due. A process that has lost the lease, since it stood still for longer than
    that, can commit nothing more of what it began."""

    def __init__(self, sources: Sources) -> None:
        self._sources, self._holder = sources, secrets.token_hex(8)
        self.printing = Printing(sources, self._holder)
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="work")
        self.sending = Sending(sources, self._insist)
        self._restating, self._glancing = Restating(sources), Glancing(sources)
        self._running: set[str] = set()
        self._stamp: change_log.Stamp = ()
        self._changed_at = self._restless_since = 0.0
        self._tidy_at = time.monotonic()
        self._renew_at = 0.0  # by the monotonic clock; 0 while another process has the lease
        self._lock, self._end, self._awake = threading.Lock(), threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._look, name="work", daemon=True)

    def start(self) -> None:
        self._thread.start()
        self.printing.start()

    def wake(self) -> None:
        """Look at once: something may have been asked for."""
        self._awake.set()

    def stop(self) -> None:
        """Let another process go on at once."""
        self._end.set()
        self._awake.set()
        self._thread.join(5)
        self.printing.stop()
        self.sending.stop()
        self._pool.shutdown(wait=False, cancel_futures=True)
        try:
            with self._sources.changes() as session:
                leases.give_up(session, leases.WORK, self._holder)
        except DBAPIError:
            pass  # it runs out by itself

    def _look(self) -> None:
        while not self._end.is_set():
            self._awake.wait(LOOK_S)
            self._awake.clear()
            try:
                self.look()
            except (DBAPIError, OSError):
                pass  # the database is away, or its disk is full; what it kept is there when it is back
            except Exception as error:
                log.error("work", exc_info=error)

    def look(self) -> None:
        """Take the lease where it is free, and begin what is due."""
        with self._sources.changes() as session:
            mine = self._has_lease(session)
            keys = refreshes.due(session, now(), 4 * AT_ONCE) if mine else []
            ordered = standing.due(session, now(), 4 * AT_ONCE) if mine else []
            stamp = change_log.stamp(session) if mine else ()
            restated = mine and "" not in self._running and self._restating.changed(stamp)
            watched = looking.due(session, now())[: 4 * AT_ONCE] if mine and self._has_settled(stamp) else []
            if mine:
                outbox.bundle(session, now())
            to_send = outbox.due(session, now(), MOST_BEGUN, EACH) if mine else []
            glanced = mine and GLANCES not in self._running and self._glancing.changed(stamp)
        for key in ordered:
            self._begin(f"{ORDER}{key}", self._edition)
        if mine:
            self.printing.wake()
        for key in watched:
            self._begin(f"{WATCH}{key}", self._watch)
        self.sending.begin(to_send)
        for key in keys:
            self._begin(key, self._refresh)
        if restated:
            self._begin("", self._restate)
        if glanced:
            self._begin(GLANCES, self._glance)
        if mine and time.monotonic() > self._tidy_at:
            self._tidy_at = time.monotonic() + TIDY_S
            self._begin(TRAIL, self._tidy)

    def _has_settled(self, stamp: change_log.Stamp) -> bool:
        """Whether nothing has changed for a moment, or it has gone on changing for long: somebody who drags a mark, or a
        machine that sends row after row, has watches looked at once."""
        moment = time.monotonic()
        if stamp != self._stamp:
            self._stamp, self._changed_at = stamp, moment
            self._restless_since = self._restless_since or moment
        settled = moment - self._changed_at >= SETTLES_S or moment - self._restless_since >= RESTLESS_S
        if settled:
            self._restless_since = 0.0
        return settled

    def _has_lease(self, session: Session) -> bool:
        """Ask for it, or ask for it again where a third of it is over: each time is a write. What is done rests on the
        database's clock all the same, see ``_insist``."""
        began = time.monotonic()
        if began > self._renew_at:
            mine = leases.acquire_or_renew(session, leases.WORK, self._holder, LEASE_S)
            self._renew_at = began + RENEW_S if mine else 0.0
        return self._renew_at > 0

    def _begin(self, place: str, work: Callable[[str], None]) -> None:
        """Do something by the side, unless it is being done. place: a dataset; none for all editions."""
        with self._lock:
            if place in self._running:
                return
            self._running.add(place)
        self._pool.submit(self._do, place, work)

    def _do(self, place: str, work: Callable[[str], None]) -> None:
        try:
            work(place)
        except (DBAPIError, OSError, leases.Lost, Missing):
            pass  # whoever has the lease then begins it again; what was taken away meanwhile is gone
        except Exception as error:
            log.error("work", place=place, exc_info=error)
        finally:
            with self._lock:
                self._running.discard(place)

    def _carry_out(self, work: Work, key: str, foreseen: Foreseen, failed: Callable[[str, str], None]) -> None:
        """Do something whose failures are told. foreseen: those that have words of their own."""
        try:
            with meters.job(work.__module__.rpartition(".")[2]):
                work(self._sources, key, self._insist)
        except foreseen as error:
            failed(key, error.problem.detail if isinstance(error, Refused) else str(error))
        except (DBAPIError, leases.Lost):
            raise
        except Exception as error:
            log.error("work", place=key, exc_info=error)
            failed(key, "The fault is ours and was logged.")

    def _restate(self, _: str) -> None:
        try:
            self._restating.look()
        except DBAPIError:
            self._restating.again()  # the database is away
            raise

    def _glance(self, _: str) -> None:
        try:
            self._glancing.look()
        except DBAPIError:
            self._glancing.again()
            raise

    def _tidy(self, _: str) -> None:
        """Give up what was done longer ago than it is kept."""
        with self._sources.changes() as session:
            trail.give_up(session, int(openings.setting(session, trail.SETTING)[1].get("days", trail.KEPT_DAYS)))
            outbox.give_up_old(session)

    def _watch(self, place: str) -> None:
        self._carry_out(looking.carry_out, place.removeprefix(WATCH), FORESEEN, self._not_answered)

    def _not_answered(self, key: str, said: str) -> None:
        with self._sources.changes() as session:
            looking.note_failure(session, key, said)
            self._insist(session)

    def _edition(self, place: str) -> None:
        """Make the edition of a standing order, unless it was made since the order was found to be due."""
        with self._sources.readings() as session:
            if standing.get(session, place.removeprefix(ORDER)).due_at > now():
                return
        foreseen = Refused, LiveProblem, NoPeriod, Missing, FormulaError
        self._carry_out(orders.carry_out, place.removeprefix(ORDER), foreseen, self._not_made)

    def _not_made(self, key: str, said: str) -> None:
        with self._sources.changes() as session:
            orders.note_failure(session, key, said)
            self._insist(session)

    def _insist(self, session: Session) -> None:
        leases.require_held(session, leases.WORK, self._holder)

    def _refresh(self, key: str) -> None:
        with self._sources.changes() as session:
            if not refreshes.begin(session, key, now()):
                return
        foreseen = Refused, Unreadable, LiveProblem, NoPeriod, Missing
        self._carry_out(refreshing.carry_out, key, foreseen, self._failed)
        look_ahead(self._sources, key)

    def _failed(self, key: str, said: str) -> None:
        with self._sources.changes() as session:
            refreshing.note_failure(session, key, said)
            self._insist(session)
