"""Tests: core, tables, store, API, and the real interface in a browser."""

from hypothesis import settings

# Speed is measured in bench/, never by a test.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")
