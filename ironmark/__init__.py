"""Iron Mark: KPI scorecards whose states come from marks and yardsticks anyone can inspect."""

import os

__version__ = "0.1.0"

# Polars has an allocator of its own, which reads this when it is loaded: what was given up goes back to the system within half a
# second, where it would count as ours until some other process wants it.
os.environ.setdefault("_RJEM_MALLOC_CONF", "dirty_decay_ms:500,muzzy_decay_ms:0")
