"""Tests: core, tables, store, pages, API, and the real interface in a browser."""

import datetime as dt
import os

from hypothesis import settings

from ironmark import clock

# It is always the same day, here and in the servers that are started; ``store.test_any_day`` runs what depends on it on
# other ones.
DAY = dt.datetime(2026, 11, 26, 10)
if clock.AHEAD not in os.environ:
    os.environ[clock.AHEAD] = str((DAY - clock.now()).total_seconds())

# Speed is measured in bench/, never by a test. What is made at random is the same in every run, so that a run tells of
# the change and not of luck; EXPLORE=1 in the environment makes something else each time.
settings.register_profile("check", deadline=None, derandomize=not os.environ.get("EXPLORE"))
settings.load_profile("check")
