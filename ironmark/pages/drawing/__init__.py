"""From a Page to a picture: every text, every place as a fraction. Needs nothing but the page: may import ``model``."""
