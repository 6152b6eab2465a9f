"""What one request reads, each thing once, and what requests share of it by version. May import ``model`` and the store."""
