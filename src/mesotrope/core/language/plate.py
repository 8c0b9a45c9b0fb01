"""Number plates as they are compared: the same plate however it is written, and no other one."""

from __future__ import annotations

import unicodedata

#: What stands between the parts of a plate and means nothing: white space, hyphens, dashes.
_BETWEEN = frozenset({"Zs", "Cc", "Cf", "Pd"})


def plate_key(plate: str) -> str:
    """A plate in upper case, without what stands between its parts. Letters keep their marks: Ö is not O.

    >>> plate_key("g 100"), plate_key("G-100"), plate_key("BÖ A 77") == plate_key("BO A 77")
    ('G100', 'G100', False)
    """
    upper = unicodedata.normalize("NFC", plate).upper()
    return "".join(sign for sign in upper if unicodedata.category(sign) not in _BETWEEN)
