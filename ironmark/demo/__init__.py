"""The invented ferry company: made-up data, loaded the way a user would."""
