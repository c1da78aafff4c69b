"""Names as words."""

from __future__ import annotations


def upper_first(text: str) -> str:
    """What begins a sentence: its first letter in upper case, the rest as it is."""
    return text[:1].upper() + text[1:]


def headed(name: str) -> str:
    """A name as words that begin a line; "CO2_at_the_outlet" keeps its letters."""
    return upper_first(name.replace("_", " "))
