"""Marks as they are changed: pasted, dragged, tried, guarded. May import ``reading``."""
