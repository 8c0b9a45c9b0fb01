"""One tree of errors; it knows no HTTP.

.. code-block:: text

    MesotropeError
    ├── InvalidInput        a value that cannot be right, with what is allowed
    │   ├── InvalidDocument   several of them, found in one document
    │   └── NoWearMeasurable  readings that show no wear beyond their gauge error
    ├── Surprising          a value that may be right but is worth one more look
    ├── NotSignedIn         nobody is signed in, or the session has ended
    ├── SignInRefused       name and password do not go together
    ├── TooManyAttempts     sign-in is closed for a while
    ├── NotAllowed          the signed-in person's role does not reach this
    ├── Forged              a change that did not come from our own pages
    ├── Clash               somebody else entered another value in the meantime
    ├── Overtaken           somebody else changed fields of the same form in the meantime
    ├── PlanChanged         what is planned changed since the page was read
    ├── NotFound            nothing of that kind in this workshop
    │   └── LinkGone          a link that is not good (any more)
    ├── JobClosed           a closed job takes nothing more
    ├── NotNow              it cannot be done as things stand
    ├── Busy                too much at once, or the database is away: try again
    ├── OutsideWorkshop     a query without a workshop: a fault in the program
    └── Unchangeable        a change of what is only ever written: a fault in the program

Each error carries its parts, so that page, command line and JSON say the same thing in their own form.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from string import Formatter


class MesotropeError(Exception):
    """Root of everything this product raises on purpose.

    message : what is said of it, with the error's own attributes in the gaps. A speaker says it in a person's language
    and units; `str` says it in plain English.
    """

    message: str = "{words}"
    #: The gaps that hold what somebody wrote: repeated as it was.
    quoted: tuple[str, ...] = ("words",)

    @property
    def words(self) -> str:
        return super().__str__()

    def gaps(self) -> dict[str, object]:
        """What stands in the gaps of the message: what somebody wrote as a text, the rest as it can be said."""
        named = [name for _, name, _, _ in Formatter().parse(self.message) if name]
        return {name: self.repeated(name) if name in self.quoted else getattr(self, name) for name in named}

    def repeated(self, name: str) -> str:
        """What somebody wrote, as it may be repeated."""
        return str(getattr(self, name))

    def __str__(self) -> str:
        return self.message.format(**self.gaps())


def shown(value: object, longest: int = 60) -> str:
    """Return `value` as it may be repeated in a message: quoted if text, cut if long.

    >>> shown("7..5")
    "'7..5'"
    >>> shown("x" * 100)[-3:]
    '...'
    """
    text = repr(value)
    return text if len(text) <= longest else text[: longest - 3] + "..."


class InvalidInput(MesotropeError):
    """A value that cannot be right: which field, what was given, what is allowed.

    name, requirement : words, or what can be said (`core.language.saying`).
    """

    message = "{name}: {value} cannot be used; {requirement}"
    quoted = ("value",)

    def __init__(self, name: object, value: object, requirement: object) -> None:
        super().__init__(name, value, requirement)
        self.name = name
        self.value = value
        self.requirement = requirement

    def repeated(self, name: str) -> str:
        return shown(getattr(self, name))


class InvalidDocument(InvalidInput):
    """Every fault found in one document, none of it taken."""

    def __init__(self, faults: Sequence[InvalidInput]) -> None:
        super().__init__(faults[0].name, faults[0].value, faults[0].requirement)
        self.faults = tuple(faults)

    def __reduce__(self) -> tuple[type[InvalidDocument], tuple[tuple[InvalidInput, ...]]]:
        """As it is sent from one process to another."""
        return type(self), (self.faults,)

    def __str__(self) -> str:
        return "\n".join(str(fault) for fault in self.faults)


class NoWearMeasurable(InvalidInput):
    """The readings do not show wear beyond their gauge error: nothing to extrapolate from."""

    message = "no wear measurable yet: {requirement}"


class Surprising(InvalidInput):
    """A possible but unusual value: asked about once, kept when confirmed."""

    message = "{name}: {value} is unusual; {requirement}"


class NotSignedIn(MesotropeError):
    """Nobody is signed in, or the session has ended."""

    message = "You are not signed in, or your session has ended. Sign in again; what was saved is kept."


class SignInRefused(MesotropeError):
    """The name and the password do not go together. Which of the two is wrong is not told."""

    message = "This sign-in name and password do not go together. Check both and try again."


class TooManyAttempts(MesotropeError):
    """Too many refused sign-ins from one place: the next is answered after a while."""

    def __init__(self, seconds: int) -> None:
        super().__init__(seconds)
        self.seconds = seconds

        if seconds >= 120:
            self.message = "Too many refused sign-ins from here. Try again in {minutes} minutes."

    message = "Too many refused sign-ins from here. Try again in {seconds} seconds."
    quoted = ("seconds", "minutes")

    @property
    def minutes(self) -> int:
        return -(-self.seconds // 60)


class NotAllowed(MesotropeError):
    """The signed-in person's role does not reach this."""

    message = "{what} needs the role {role_needed}."
    quoted = ()

    def __init__(self, what: object, role_needed: str) -> None:
        super().__init__(what, role_needed)
        self.what = what
        self.role_needed = role_needed


class Forged(MesotropeError):
    """A change that carries no token of this session: not sent by one of our own pages."""

    message = "This change did not come from a page of this session. Load the page again and repeat it."


class Clash(MesotropeError):
    """Somebody else has entered another value for the same finding or rule since this one was looked at.

    Neither is lost: `theirs` stands, `mine` is given back, and `entry_id` is what to build on.
    finding : words, or what can be said.
    """

    def __init__(self, finding: object, mine: object, theirs: object, who: str, entry_id: int) -> None:
        super().__init__(finding, mine, theirs, who, entry_id)
        self.finding = finding
        self.mine = mine
        self.theirs = theirs
        self.who = who
        self.entry_id = entry_id

        if theirs is None:
            self.message = "{finding}: {who} took it back in the meantime; you entered {mine}. Choose which stands."

    message = "{finding}: {who} entered {theirs} in the meantime; you entered {mine}. Choose which stands."
    quoted = ("who", "theirs", "mine")


class Overtaken(MesotropeError):
    """Somebody else changed fields of a form that were changed here too; nothing was kept.

    theirs : what stands in these now, by field; stands : every field as it would be kept, mine where both changed it.
    """

    message = (
        "Somebody else changed this since you opened the page: {fields}. What you wrote still stands in its field; "
        "keep it once more, and it takes the place of theirs."
    )

    def __init__(self, theirs: Mapping[str, str], stands: Mapping[str, str], fields: object = "") -> None:
        super().__init__(theirs, stands)
        self.theirs = theirs
        self.stands = stands
        self.fields = fields or ", ".join(theirs)


class PlanChanged(MesotropeError):
    """What is planned changed since the page was read on which it was signed, ticked off or released."""

    message = (
        "What is planned has changed since this page was read. Nothing was kept: look at it as it is now, "
        "and do it again."
    )


class NotFound(MesotropeError):
    """Nothing of that kind in this workshop; whether another workshop has it is not told."""

    message = "There is no such {kind} in this workshop."
    quoted = ()

    def __init__(self, kind: object) -> None:
        super().__init__(kind)
        self.kind = kind


class LinkGone(NotFound):
    """A link that was used up, was closed, has run out, or never was; which of these is not told."""

    message = "{why}"

    def __init__(self, why: object) -> None:
        super().__init__("link")
        self.why = why


class JobClosed(MesotropeError):
    """A closed job takes no entries, ticks, signatures or pictures."""

    message = "This job is closed and takes nothing more. Open it again under Outcome to go on; that is kept with it."


class JobArchived(MesotropeError):
    """A job that lies in a file: it is read from there, and can be brought in again as a job of its own."""

    message = (
        "This visit is archived: everything of it stands in a file. Brought in again, the file is a job of its own."
    )

    def __init__(self, job_id: int) -> None:
        super().__init__()
        self.job_id = job_id


class NotNow(MesotropeError):
    """Something that cannot be done as things stand: why, in words."""

    message = "This cannot be done now: {why}."
    quoted = ()

    def __init__(self, why: object) -> None:
        super().__init__(why)
        self.why = why


class Busy(MesotropeError):
    """Nothing is wrong with what was sent; it cannot be done now. Says why."""

    message = "{why}. Nothing was changed; try again in a moment."
    quoted = ()

    def __init__(self, why: object = "The database does not answer") -> None:
        super().__init__(why)
        self.why = why


class Unchangeable(MesotropeError):
    """A change of a row that is only ever written: a fault in the program, nothing was changed."""

    message = "What was kept once is not changed; nothing was written."


class OutsideWorkshop(MesotropeError):
    """A query or a row without a workshop: a fault in the program, never shown data."""

    message = "A query was made outside any workshop; nothing was read or written."
