"""Workings: every computed number can be asked why."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Working:
    """How a number came about.

    Attributes
    ----------
    title : str
        What the number is.
    formula : str
        In the field's standard symbols.
    numbers : str
        The same line with the numbers put in.
    sources : tuple of str
        The readings and decisions it came from.
    note : str
        What to bear in mind, or "".
    """

    title: str
    formula: str
    numbers: str
    sources: tuple[str, ...] = ()
    note: str = ""


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing the numbers say.

    Attributes
    ----------
    verdict : str
        "in", "out", "open" (as in proof), "todo" or "note".
    title, text : str
    why : Working or None
    action : str
        Key of something the person can do about it, or "".
    action_label : str
    """

    verdict: str
    title: str
    text: str
    why: Working | None = None
    action: str = ""
    action_label: str = ""


ORDER = {"out": 0, "open": 1, "todo": 2, "in": 3, "note": 4}


def worst_first(findings: list[Finding]) -> list[Finding]:
    """Return the findings, worst first, otherwise in the order given."""
    return sorted(findings, key=lambda f: ORDER[f.verdict])
