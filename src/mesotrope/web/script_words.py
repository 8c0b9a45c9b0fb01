"""What the scripts of the pages say: a page brings these words along where its language is another."""

from __future__ import annotations

from mesotrope.core.language.saying import marked
from mesotrope.words import Speaker

SCRIPT_WORDS = (
    marked("saving"),
    marked("saved {time}"),
    marked("not done: see the message"),
    marked("not done: {why}"),
    marked("refused"),
    marked("two people entered this: choose which stands"),
    marked("not saved: see the message at the field"),
    marked("taken back: {field}"),
    marked("taken back"),
    marked("nothing left to undo"),
    marked("not undone: load the page again"),
    marked("the network is away: undo again when it is back"),
    marked("signed out: sign in again to go on; what you type is kept on this device"),
    marked("1 entry"),
    marked("1 change"),
    marked("{count} entries"),
    marked("{count} changes"),
    marked("{changes} kept on this device: {why}"),
    marked("will send when the server works again"),
    marked("will send when the network is back"),
    marked("sign in again to send"),
    marked("Sign in again"),
    marked("You were signed out. Sign in again and go on: nothing on this page is lost."),
    marked("a reading came in: put the cursor in a field first"),
    marked("simulated"),
    marked("No network: this page is as it was at {time}."),
    marked("What you enter is kept on this device and sent later."),
    marked("The network is back. This page, as it was at {time}, is shown anew once what you entered is kept."),
)


def script_words(say: Speaker) -> dict[str, str]:
    """The words that differ from the English in the scripts themselves.

    >>> script_words(Speaker())
    {}
    """
    return {words: here for words in SCRIPT_WORDS if (here := say.gettext(words)) != words}
