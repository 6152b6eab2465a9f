"""Tests: core, tables, store, API, and the real interface in a browser."""
