"""Words of a picture never lie over one another: every picture of the demo, in a large window and in the smallest."""

from __future__ import annotations

from itertools import combinations

import pytest

from tests.made_up_far import in_unit
from tests.mill import mill
from tests.trades.conftest import wait
from vivid_keel.figures.display import Text
from vivid_keel.figures.labels import places
from vivid_keel.figures.measure import text_width
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for

TOUCH = 3.0
"""So much of one may lie over another [px]: the room above small letters."""


def words_at(picture):
    """Where each word of a picture stands: left, top, right, bottom."""
    for item in picture.items:
        if isinstance(item, Text) and item.text.strip():
            wide = text_width(item.text, item.size, bold=item.bold)
            x = item.x - {"left": 0.0, "centre": wide / 2, "right": wide}[item.align]
            yield x, item.y - 0.75 * item.size, x + wide, item.y + 0.2 * item.size, item.text


def over_one_another(picture):
    """The words that lie over others."""
    for (a, b, c, d, one), (e, f, g, h, other) in combinations(words_at(picture), 2):
        if min(c, g) - max(a, e) > TOUCH and min(d, h) - max(b, f) > TOUCH:
            yield one, other


@pytest.fixture(scope="module", params=["m", "in", "ft-in"])
def desks(request, tmp_path_factory):
    with mill(tmp_path_factory.mktemp("apart") / "mill.keel") as job:
        path = job.path
    with JobFile.open(in_unit(path, request.param) if request.param != "m" else path) as file:
        made = [desk_for(file, work.id) for work in file.journal.works()]
        for desk in made:
            wait(desk)
        yield made


@pytest.mark.parametrize("size", [(1100.0, 420.0), (748.0, 318.0), (560.0, 250.0)])
def test_words_stand_apart_in_every_picture_of_the_demo(desks, size):
    found = set()
    for desk in desks:
        for stage in desk.stage_names:
            for view in range(max(1, len(desk.views(stage)))):
                desk.on_view(stage, view)
                for one, other in over_one_another(desk.picture(stage, view, *size)):
                    found.add((desk.book.name, stage, view, one, other))
    assert not found, "\n".join(map(str, sorted(found)))


def test_each_word_takes_the_first_place_that_is_free():
    page = (0.0, 0.0, 100.0, 100.0)
    here, there, out = (10.0, 10.0, 30.0, 20.0), (40.0, 10.0, 60.0, 20.0), (95.0, 10.0, 115.0, 20.0)

    def stands(could, taken=()):
        return places([each[0] for each in could], could.__getitem__, taken, page)

    assert stands([[here, there]]) == [here]
    assert stands([[here, there]], [(12.0, 12.0, 14.0, 40.0)]) == [there]
    assert stands([[out, there]]) == [there]
    assert sorted(stands([[here, there], [here, there]])) == [here, there]
    # The first would take what only the second can have; it looks again once the other stands.
    assert stands([[here, there], [here, out]]) == [there, here]
    # One that stood well gives way where nobody else can.
    assert stands([[there, here], [there, out]]) == [here, there]
    assert stands([], [here]) == []
