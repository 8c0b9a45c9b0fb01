"""Words at the edge: what the core states is said here, in a language, a person's units and a workshop's dates."""

from mesotrope.words.dates import Dates
from mesotrope.words.languages import language_of, languages
from mesotrope.words.speaker import PLAINLY, Speaker, plainly_of

__all__ = ["PLAINLY", "Dates", "Speaker", "language_of", "languages", "plainly_of"]
