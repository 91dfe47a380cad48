"""From paper to proof by keys: the sheet printed first is never contradicted by what is shown, booked or asked later."""

from __future__ import annotations

import pytest

from tests.trades.supports.test_plan_holds import floor_of, read
from vivid_keel.core.quantities import is_missing, show_length
from vivid_keel.core.record.entries import Draft

FINE = {
    "name": "Amber",
    "way": "optical-fine",
    "u_m": 0.0002,
    "per_metre": 0.0,
    "from_m": 30.0,
    "reach_m": 10.0,
}
FLOORS = {
    "one that can't be cured": (
        (2, 3, ("1.262", "1.250", "1.244", "1.238", "1.243", "1.247"), (("6 mm", 10), ("1 mm", 6)), {}),
        "A2",
    ),
    "three stages": (
        (
            3,
            4,
            [
                "1.2500",
                "1.2475",
                "1.2385",
                "1.2440",
                "1.2495",
                "1.2390",
                "1.2410",
                "1.2500",
                "1.2380",
                "1.2450",
                "1.2480",
                "1.2405",
            ],
            (("10 mm", 6), ("5 mm", 8), ("2 mm", 10), ("1 mm", 12), ("0.5 mm", 12)),
            {"neighbours_m": 0.0056, "tolerance": read("1.5 mm")},
        ),
        "A1",
    ),
}


def as_shown(desk, line):
    """A line of a plan as its row shows it: leaves, jack to, finish at."""
    style = desk.book.style
    jack = "" if is_missing(line.jack_to) else show_length(line.jack_to, style)
    return [desk.result.step_in_words(line.step), jack, show_length(line.finish_at, style)]


@pytest.mark.parametrize("kind", FLOORS)
def test_what_the_printed_sheet_says_is_what_every_row_says_until_all_is_proven(
    window, hands, tmp_path, kind
):
    (rows, columns, texts, stock, limits), kept = FLOORS[kind]
    prepared = floor_of(tmp_path / "floor.keel", rows, columns, [""] * len(texts), stock, limits)
    point = next(p.id for p in prepared.book.points if p.name == kept)
    prepared.record(
        Draft(prepared.work, "instrument", FINE),
        Draft(prepared.work, "target", {"kind": "keep", "point": point}),
    )
    window.take(prepared.file)
    window.show_stage("Readings")
    hands.line(*texts)
    hands.rest()
    window.show_stage("Moves")
    hands.rest()
    desk = window.desk
    desk.puts_on_paper()
    hands.rest()
    paper = {
        desk.book.points[i].name: list(desk.book.printed.lines[desk.book.points[i].id])
        for i in desk.result.to_do
    }
    stages = {line.step.stage for own in paper.values() for line in own}
    assert len(stages) == (2 if rows == 2 else 3), sorted(stages)
    for stage in sorted(stages):
        assert desk.result.stage_in_hand == stage
        for name in [n for n, own in paper.items() if own and own[0].step.stage == stage]:
            row = next(r for r in range(20) if hands.cells(r)[0].split()[-1] == name)
            line = paper[name].pop(0)
            said = as_shown(desk, line)
            cells = hands.cells(row)
            if desk.result.is_idle(line.step):
                continue
            assert cells[2:5] == said, name
            window.sheet.go((row, len(cells) - 1))
            hands.key("enter")
            hands.rest()
            desk = window.desk
    assert not any(paper.values()) and not desk.result.since_printed
    finish = {p.name: desk.result.stop_at(i) for i, p in enumerate(desk.book.points)}
    window.show_stage("Proof")
    hands.line(*(f"{finish[p.name]:.4f}" for p in desk.book.points))
    hands.rest()
    out = [
        p.name
        for p, v in zip(window.desk.book.points, window.desk.result.left_verdicts, strict=True)
        if v != "in"
    ]
    assert out == (["A1"] if kept == "A2" else [])
