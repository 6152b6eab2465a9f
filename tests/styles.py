"""How numbers are written where a test does not ask for another way."""

from ironmark.core.numbers import style_of

ENGLISH, GERMAN = style_of("en_GB"), style_of("de_DE")
