"""The shapes of documents, pages and pictures, and how a request is refused. May import ``core`` alone."""
