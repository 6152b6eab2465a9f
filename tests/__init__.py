"""Tests: core, tables, store, pages, API, and the real interface in a browser."""

import os

from hypothesis import settings

# Speed is measured in bench/, never by a test. What is made at random is the same in every run, so that a run tells of
# the change and not of luck; EXPLORE=1 in the environment makes something else each time.
settings.register_profile("check", deadline=None, derandomize=not os.environ.get("EXPLORE"))
settings.load_profile("check")
