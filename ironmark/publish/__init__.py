"""Pages in every form that leaves, and bundles. May import ``pages``."""
