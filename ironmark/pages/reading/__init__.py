"""From a scorecard and its context to a Page: plain figures with everything that is told of them. May import
``context``."""
