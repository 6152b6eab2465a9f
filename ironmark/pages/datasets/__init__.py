"""Datasets as they are taken in, looked at, joined, derived and refreshed. May import ``context``."""
