"""The trade's knowledge: data with its provenance, and its reader."""

from mesotrope.knowledge.reader import knowledge

__all__ = ["knowledge"]
