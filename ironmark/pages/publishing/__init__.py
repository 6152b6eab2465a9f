"""Pages over time: editions, what changed between them, what the front page and Find tell. May import ``drawing`` and
``datasets``."""
