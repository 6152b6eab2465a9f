"""What helps to make KPIs, yardsticks, instruments and whole scorecards, and what refuses them. May import
``drawing``."""
