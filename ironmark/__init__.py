"""Iron Mark: KPI scorecards whose states come from marks and yardsticks anyone can inspect."""

__version__ = "0.1.0"
