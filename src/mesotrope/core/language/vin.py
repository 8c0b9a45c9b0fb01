"""Vehicle identification numbers: the check digit and the model year."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput

#: What each letter counts for; I, O and Q are never used.
_LETTERS = dict(zip("ABCDEFGHJKLMNPRSTUVWXYZ", [*range(1, 9), *range(1, 6), 7, 9, *range(2, 10)], strict=True))
_WEIGHTS = (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2)
_YEARS = "ABCDEFGHJKLMNPRSTVWXY123456789"


@dataclass(frozen=True)
class VinReading:
    """A VIN as it was read. `valid`: its ninth character is the check digit it should have.

    `model_years` are those the tenth character stands for, the latest first; the code comes round every 30 years.
    """

    number: str
    valid: bool
    expected_check_digit: str
    model_years: tuple[int, ...]


def read_vin(number: str) -> VinReading:
    """Check a VIN's check digit and read its model year.

    Raises `InvalidInput` for a number that is not 17 letters and digits without I, O and Q. Check digits are
    required in North America; elsewhere a number may be right without one. Source: [cfr-565-15], [iso-3779].

    >>> reading = read_vin("1M8GDM9AXKP042788")
    >>> reading.valid, reading.expected_check_digit, reading.model_years
    (True, 'X', (2019, 1989))
    """
    cleaned = number.strip().upper().replace(" ", "")
    if len(cleaned) != 17:
        raise InvalidInput(
            "vin", number, said("17 characters are needed, these are {cleaned}", cleaned=verbatim(len(cleaned)))
        )
    wrong = [sign for sign in cleaned if sign not in _LETTERS and not (sign.isascii() and sign.isdigit())]
    if wrong:
        raise InvalidInput(
            "vin",
            number,
            said("{wrong} never stands in it: digits and letters but I, O and Q", wrong=verbatim(f"{wrong[0]!r}")),
        )
    values = [_LETTERS.get(sign) or int(sign) for sign in cleaned]
    remainder = sum(weight * value for weight, value in zip(_WEIGHTS, values, strict=True)) % 11
    expected = "X" if remainder == 10 else str(remainder)
    years: tuple[int, ...] = ()
    if cleaned[9] in _YEARS:
        first = 1980 + _YEARS.index(cleaned[9])
        years = tuple(year for year in (first + 60, first + 30, first) if year <= 2039)
    return VinReading(cleaned, cleaned[8] == expected, expected, years)
