"""Money as it is written: signs, codes (ISO 4217) and words, each with the code it stands for.

Signs that several countries share without saying which (kr, Rs, a bare Fr.) stand for none of them.
"""

from __future__ import annotations

import re

SHARED = ("kr", "rs", "fr")
# The longer ones first: R$ is no $.
SIGNS = {
    "us$": "USD", "hk$": "HKD", "nz$": "NZD", "nt$": "TWD", "mx$": "MXN", "r$": "BRL", "a$": "AUD", "c$": "CAD", "s$": "SGD",
    "£": "GBP", "€": "EUR", "$": "USD", "¥": "JPY", "₽": "RUB", "₴": "UAH", "₺": "TRY", "₹": "INR", "₩": "KRW", "₪": "ILS", "₫": "VND", "฿": "THB",
    "₱": "PHP", "₦": "NGN", "₸": "KZT", "₾": "GEL", "₼": "AZN", "₲": "PYG", "₡": "CRC", "₵": "GHS", "₭": "LAK", "៛": "KHR", "₮": "MNT",
    "円": "JPY", "元": "CNY", "원": "KRW", "บาท": "THB",
}  # fmt: skip
WORDS = {
    "zł": "PLN", "kč": "CZK", "руб": "RUB", "р": "RUB", "грн": "UAH", "лв": "BGN", "дин": "RSD", "din": "RSD", "ден": "MKD", "тг": "KZT", "lei": "RON", "leva": "BGN",
    "tl": "TRY", "rp": "IDR", "rm": "MYR", "đ": "VND", "đồng": "VND", "sfr": "CHF", "rmb": "CNY", "fcfa": "XOF",
}  # fmt: skip
CODES = (
    "GBP", "EUR", "USD", "CHF", "SEK", "NOK", "DKK", "JPY", "CAD", "AUD", "NZD", "PLN", "CZK", "HUF", "RON", "TRY", "RUB", "UAH", "ISK", "INR", "CNY",
    "KRW", "BRL", "MXN", "ZAR", "SGD", "HKD", "THB", "ILS", "BGN", "RSD", "IDR", "MYR", "PHP", "VND", "TWD", "AED", "SAR", "QAR", "KWD", "BHD", "OMR", "JOD",
    "EGP", "TND", "DZD", "MAD", "NGN", "KES", "GHS", "TZS", "UGX", "XOF", "XAF", "ETB", "CLP", "COP", "ARS", "PEN", "UYU", "PYG", "BOB", "CRC", "GTQ",
    "DOP", "PKR", "BDT", "LKR", "NPR", "KZT", "GEL", "AZN", "AMD", "UZS", "MKD", "BAM", "MDL", "BYN", "KHR", "LAK", "MMK", "MNT", "IRR", "IQD", "LBP",
)  # fmt: skip
_WORDS_TOO = {"try", "ron", "mad", "cop", "pen", "gel", "amd", "bob", "bam", "lak", "ars", "dop"}
IN_SMALL_LETTERS = frozenset(code.lower() for code in CODES) - _WORDS_TOO  # that say what they are in small letters too

_AS_WORDS = "|".join(sorted(map(re.escape, WORDS), key=len, reverse=True))
# A sign of letters stands by itself: Sales$ is no Singapore dollar.
_ALONE = r"(?<![^\W_])"
_AS_SIGNS = "|".join((_ALONE if sign[0].isascii() and sign[0].isalpha() else "") + re.escape(sign) for sign in SIGNS)
_SIGN = re.compile(_AS_SIGNS, re.I)
_SAID = re.compile(rf"(?P<sign>{_AS_SIGNS})|(?<!\w)(?P<word>{_AS_WORDS})\.?(?!\w)", re.I)
_CODE = re.compile(rf"(?<![A-Za-z])(T|k|m)?({'|'.join(CODES)})(?![A-Za-z])")


def sign_in(text: str) -> str:
    """The sign of money in a text, as it is written there: R$; "" for none."""
    found = _SIGN.search(text)
    return found[0] if found else ""


def money_in(text: str) -> tuple[str, str]:
    """Whose money a text speaks of, and what is left of it: ``R$ mil`` is ("BRL", "mil"), ``TEUR`` is ("EUR", "T"); "" for none.
    Of a Ft the F is large: feet are ft."""
    if (found := _SAID.search(text)) is not None:
        code = SIGNS.get((found["sign"] or "").lower()) or WORDS[found["word"].lower()]
        return code, f"{text[: found.start()]} {text[found.end() :]}".strip()
    if (found := _CODE.search(text)) is not None:
        return found[2], f"{text[: found.start()]} {found[1] or ''} {text[found.end() :]}".strip()
    if (found := re.search(r"(?<!\w)(e|m|M|Mrd\.?)?\s?Ft(?!\w)", text)) is not None:
        return "HUF", f"{text[: found.start()]} {_FORINT.get(found[1] or '', '')} {text[found.end() :]}".strip()
    return "", text


_FORINT = {"e": "ezer", "m": "mio", "M": "mio", "Mrd": "mrd", "Mrd.": "mrd"}
