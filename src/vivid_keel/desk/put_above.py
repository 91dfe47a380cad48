"""A line that was forgotten, put in above one that stands: the same in every sheet whose order is its person's own."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.desk.sheet import PutIn, Sheet


def named_above(
    sheet: Sheet,
    row: int,
    standing: Sequence[Entry],
    called: str,
    placed: Callable[[Mapping[str, Any]], Mapping[str, Any]] = lambda body: body,
) -> PutIn | None:
    """Return what puts a line in above another, asked by its name as on the sheet's last line; None where no line stands.

    Parameters
    ----------
    standing : sequence of Entry
        What stands for each line, in the order of the sheet.
    called : str
        What a line is of, such as "post".
    placed : callable
        The body of the new line where it lies between two others.
    """
    if not 0 <= row < len(standing):
        return None
    behind = standing[row - 1].id if row else standing[row].work

    def taken(answers: list[str]) -> list[Draft]:
        made = [
            draft._replace(body=placed(draft.body))
            for draft in sheet.accept(len(standing), 0, answers[0]).drafts
        ]
        return [draft._replace(after=behind if k == 0 else -k) for k, draft in enumerate(made)]

    name = sheet.cell(row, 0).text
    asked = (f"Which {called} is missing above {name}?", "its name · Enter puts it in, Esc leaves it")
    return PutIn((asked,), taken)
