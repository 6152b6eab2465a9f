"""Rows as they come and as they lie: files, sheets, live sources, and what is added up over them. May import ``core``."""
