"""The one family of errors that a person's input can cause."""

from __future__ import annotations


class Stopped(Exception):  # noqa: N818 - nothing is wrong
    """The person stopped a long computation; nothing came of it."""


class KeelError(Exception):
    """Input that can't be used, worded for the person who gave it.

    Parameters
    ----------
    code : str
        Lower-case words with hyphens, stable, documented in docs/formats.md.
    message : str
        What is wrong, what was expected, what to do.
    where : str
        Where it is: a JSON pointer, a cell, a file; empty when the caller knows.
    """

    def __init__(self, code: str, message: str, where: str = "") -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.where = where

    def at(self, where: str) -> KeelError:
        """Return the same error, placed."""
        return KeelError(self.code, self.message, where)

    def __repr__(self) -> str:
        return f"KeelError({self.code!r}, {self.message!r}, {self.where!r})"
