"""Answers that several routers give."""
