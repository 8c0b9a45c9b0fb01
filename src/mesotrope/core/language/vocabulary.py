"""The shape of the vocabulary: how a finding is called, when it is made, and which values can be."""

from __future__ import annotations

from mesotrope.core.language.known import Known


class VocabularyField(Known):
    """How one finding or figure is called, when it is made, and which values can be."""

    key: str
    label: str
    doing: str = ""
    stage: str = ""
    minutes: float = 0
    #: Minutes of the way to it, once for all corners: a drive.
    way_minutes: float = 0
    unit: str = ""
    #: A lining's thickness, which is read in 32nds of an inch where others are read in decimals of it.
    lining: bool = False
    values: dict[str, str] = {}
    #: Figures that people say in words; where there are any, a percentage is understood too.
    said: dict[str, float] = {}
    needs: tuple[str, ...] = ()
    #: Asked for after the others of its stage, and folded until it is needed.
    folded: bool = False
    #: Kinds of vehicle that it is not made on.
    not_of: tuple[str, ...] = ()
    #: Made once where both corners of an axle brake one and the same wheel.
    of_wheel: bool = False
    #: Tells by being held against the other side of the axle.
    compared: bool = False
    while_dragging: bool = False
    #: Made on every vehicle before it goes, whatever is believed of it: it shows what nobody may drive with.
    before_it_goes: bool = False
    #: Needs a wheel that a hand can turn.
    turning: bool = False
    #: Tells also where a piston went home only firmly, with the caliper off.
    after_firm_piston: bool = False
    assembled: bool = False
    #: Made with the wheel in its place, at the bonnet or under the vehicle: nothing comes off for it.
    wheel_stays: bool = False
    possible: tuple[float, float] | None = None
    likely: tuple[float, float] | None = None
    tries: tuple[float, ...] = ()

    @property
    def finding(self) -> str:
        """The finding that this field is, or is a part of."""
        return self.key.partition(".")[0]
