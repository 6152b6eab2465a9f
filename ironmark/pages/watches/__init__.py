"""Watches: what each asks of histories, whom it tells, what it would have sent, and how what is told is kept and put on its way."""
