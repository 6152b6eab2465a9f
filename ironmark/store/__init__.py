"""The database: what is kept, and nothing of what it means. The only room that names its tables; may import ``core`` and
``tables``."""
