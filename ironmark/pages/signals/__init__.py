"""One reading and its signals: what is usual for it, where it is going, what moved it, what it takes."""
