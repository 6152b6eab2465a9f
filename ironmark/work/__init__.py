"""What is done by the clock and in line, by one process at a time. May import ``publish``."""
