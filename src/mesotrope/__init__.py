"""Mesotrope: why a wheel drags or a pedal is low, and what to do about it."""

__version__ = "0.34.0"
