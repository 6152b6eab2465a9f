"""People: to whom what is opened, what somebody may do, and what they see of it."""
