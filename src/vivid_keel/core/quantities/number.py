"""Reading a written number: decimal marks, the signs people type, and refusing rather than guessing."""

from __future__ import annotations

import re

from vivid_keel.core.errors import KeelError

_SIGNS = str.maketrans(
    {
        "−": "-",
        "–": "-",
        "\u2010": "-",
        "\u2011": "-",
        "\u00a0": " ",
        "\u202f": " ",
        "\u2009": " ",
        "′": "'",
        "’": "'",
        "‘": "'",
        "ʹ": "'",
        "″": '"',
        "”": '"',
        "“": '"',
        "⁄": "/",
        "μ": "µ",
    }
)
_FRACTIONS = {
    "½": "1/2",
    "¼": "1/4",
    "¾": "3/4",
    "⅛": "1/8",
    "⅜": "3/8",
    "⅝": "5/8",
    "⅞": "7/8",
}
_GROUPED = re.compile(r"[+-]?\d{1,3}(?:([.,])\d{3})(?:\1\d{3})*([.,])\d+")
_PLAIN = re.compile(r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)")


def tidy(text: str) -> str:
    """Return the text with typographic signs as typewriter ones: ′ → ', − → -, 2¾ → 2 3/4."""
    if text.isascii():  # most of what is typed has none of the typographic signs
        return " ".join(text.replace("''", '"').split())
    out = text.translate(_SIGNS)
    for sign, plain in _FRACTIONS.items():
        out = re.sub(rf"(?<=\d){sign}", f" {plain}", out).replace(sign, plain)
    out = out.replace("''", '"')
    return re.sub(r"\s+", " ", out).strip()


def parse_number(text: str, decimal_mark: str | None = None) -> tuple[float, int]:
    """Return the number that `text` writes [whatever it was written in] and how many decimals it was written with.

    Parameters
    ----------
    text : str
        Tidied digits with an optional sign and one decimal mark; no unit.
    decimal_mark : {".", ",", None}
        The job's mark. None: a comma is taken as the mark where it can't be a thousands separator.

    Raises
    ------
    KeelError
        `not-a-number`, or `ambiguous-number` where the comma (or, with a comma as the mark, the
        point) could be a thousands separator.
    """
    raw = text.strip()
    grouped = _GROUPED.fullmatch(raw)
    if grouped is not None and grouped[1] != grouped[2] and decimal_mark in {None, grouped[2]}:
        raw = raw.replace(
            grouped[1], ""
        )  # 1.234,567: thousands are parted by one mark, decimals by the other
        decimal_mark = grouped[2]
    if not _PLAIN.fullmatch(raw) or raw in {".", ","}:
        raise KeelError(
            "not-a-number", f"“{raw or text}” is not a number; expected digits with one decimal mark"
        )
    other = {".": ",", ",": "."}.get(decimal_mark or ".", ",")
    if other in raw:
        whole, _, tail = raw.partition(other)
        mark = "," if other == "." else "."
        digits = whole.lstrip("+-")
        may_be_thousands = len(tail) == 3 and 1 <= len(digits) <= 3 and not digits.startswith("0")
        if may_be_thousands:
            raise KeelError(
                "ambiguous-number",
                f"“{raw}” may mean {whole}{mark}{tail} or {whole}{tail}; write the one that is meant",
            )
        if decimal_mark is not None:
            raise KeelError(
                "not-a-number",
                f"“{raw}”: this job's decimal mark is “{decimal_mark}”; did you mean {whole}{decimal_mark}{tail}?",
            )
    plain = raw.replace(",", ".")
    decimals = len(plain.partition(".")[2])
    value = float(plain)
    if value in (float("inf"), float("-inf")):
        raise KeelError("not-a-number", "that number is too large to mean anything here")
    return value, decimals
