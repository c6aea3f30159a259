"""Card and account numbers in a text, told by their check digits."""

import re
from collections.abc import Iterator

_CARD = re.compile(r"(?<![\w-])(?:\d[ -]?){12,18}\d(?![\w-])")
_IBAN = re.compile(r"(?<!\w)[A-Z]{2}\d{2}(?: ?[A-Z0-9]){11,30}(?!\w)")
# How long an account number of a country is (the registry of ISO 13616), from memory; those of
# other countries are held to their check digits alone.
_LENGTHS = {
    "AT": 20, "BE": 16, "CH": 21, "CY": 28, "CZ": 24, "DE": 22, "DK": 18, "EE": 20, "ES": 24,
    "FI": 18, "FR": 27, "GB": 22, "GR": 27, "HR": 21, "HU": 28, "IE": 22, "IS": 26, "IT": 27,
    "LI": 21, "LT": 20, "LU": 20, "LV": 21, "MT": 31, "NL": 18, "NO": 15, "PL": 28, "PT": 25,
    "RO": 24, "SE": 24, "SI": 19, "SK": 24,
}  # fmt: skip


def card_numbers(text: str) -> Iterator[str]:
    """The card numbers in a text: 13 to 19 digits with the right check digit (ISO/IEC 7812-1,
    annex B: Luhn), which begin as a network's do.

    >>> list(card_numbers("4111 1111 1111 1111 and 4111 1111 1111 1112"))
    ['4111 1111 1111 1111']
    """
    for found in _CARD.findall(text):
        digits = re.sub(r"\D", "", found)
        if digits[0] in "3456" and len(set(digits)) > 1 and luhn(digits):
            yield found


def luhn(digits: str) -> bool:
    """Whether the last digit is the check digit of the others.

    >>> luhn("79927398713"), luhn("79927398710")
    (True, False)
    """
    total = 0
    for place, digit in enumerate(reversed(digits)):
        value = int(digit) * (1 + place % 2)
        total += value - 9 if value > 9 else value
    return total % 10 == 0


def ibans(text: str) -> Iterator[str]:
    """The account numbers in a text: those whose check digits are right (ISO 13616, ISO 7064).

    >>> list(ibans("Pay to GB82 WEST 1234 5698 7654 32, not GB82 WEST 1234 5698 7654 33."))
    ['GB82 WEST 1234 5698 7654 32']
    """
    for found in _IBAN.findall(text):
        plain = found.replace(" ", "")
        length = _LENGTHS.get(plain[:2])
        # A word that follows may look like a part of it.
        whole = plain if length is None else plain[:length]
        if (length is None or len(whole) == length) and checks_out(whole):
            yield _spelt(found, len(whole))


def _spelt(found: str, length: int) -> str:
    """The beginning of what was found, with so many signs beside its spaces."""
    count = 0
    for place, sign in enumerate(found):
        count += sign != " "
        if count == length:
            return found[: place + 1]
    return found


def checks_out(number: str) -> bool:
    """Whether an account number's check digits are right: the remainder by 97 is 1."""
    turned = number[4:] + number[:4]
    return int("".join(str(int(sign, 36)) for sign in turned)) % 97 == 1
