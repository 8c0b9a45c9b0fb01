"""The languages beside English: compiled catalogues in the folder `catalogue`, or in one of the operator's own."""

from __future__ import annotations

from gettext import GNUTranslations, NullTranslations
from pathlib import Path

from mesotrope.core.language.saying import one_of
from mesotrope.errors import InvalidInput

CATALOGUE = Path(__file__).parent / "catalogue"

#: What the messages themselves are written in.
ENGLISH = "en"


def languages(folder: Path = CATALOGUE) -> tuple[str, ...]:
    """The codes of the languages that there are.

    >>> languages()
    ('en',)
    """
    return (ENGLISH, *sorted(path.stem for path in folder.glob("*.mo")))


def language_of(code: str, folder: Path = CATALOGUE) -> NullTranslations:
    """A language by its code; a message that its catalogue has not is said in English. Raises `InvalidInput`."""
    known = languages(folder)
    if code not in known:
        raise InvalidInput("language", code, one_of(known))
    if code == ENGLISH:
        return NullTranslations()
    with (folder / f"{code}.mo").open("rb") as file:
        return GNUTranslations(file)
