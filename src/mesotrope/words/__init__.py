"""Words and a person's units, put together: the one place where what the core states becomes text."""

from mesotrope.words.speaker import PLAINLY, Speaker

__all__ = ["PLAINLY", "Speaker"]
