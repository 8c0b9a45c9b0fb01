"""A campaign against the running product: what it was tried with, what held and what did not."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Trial:
    """One part of the campaign: how often something was tried, and what did not hold."""

    name: str
    target: str
    tried: int = 0
    failed: list[str] = field(default_factory=list)
    figures: dict[str, str] = field(default_factory=dict)
    skipped: str = ""

    @property
    def held(self) -> int:
        return self.tried - len(self.failed)

    def hold(self, kept: bool, otherwise: str) -> None:
        """Count one try; `otherwise` says what went wrong where it was not kept."""
        self.tried += 1
        if not kept:
            self.failed.append(otherwise)
