"""Measurements of the budgets, each beside what it is compared with, in one run."""
