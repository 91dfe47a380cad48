"""Whether plans hold, on random floors, stocks, limits and stages: ./run measure plans [HOW MANY] [SEED].

One law: a post that can't be cured changes no other post's gap by more than a quarter of the thinnest leaf. The other: whatever is
booked as planned, in any order, every other line stays as it was, to the character. The tests hold a sample of both.
"""

from __future__ import annotations

import datetime
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from tests.page import put
from tests.trades.supports import test_plan_holds as plans

HEAD = "## Plans that hold"


def one(seed: int) -> tuple[float, bool, int, int]:
    """The greatest change at another post [m], whether it was allowed; how many lines were compared, and how many had changed."""
    rng = np.random.default_rng(seed)
    with tempfile.TemporaryDirectory() as folder:
        change, allowed = plans.changed_by_a_post_that_cant_be_cured(Path(folder), rng)
        desk = plans.random_desk(Path(folder) / "floor.keel", rng)
        lines = changed = 0
        for _, was, now in plans.book_stage_by_stage(desk, rng):
            lines += len(was)
            changed += sum(now.get(name) != line for name, line in was.items()) + len(now.keys() - was.keys())
        desk.file.close()
    return change, change <= allowed, lines, changed


def main(words: list[str]) -> int:
    """Measure, print, and write the page."""
    count, seed = int(words[0]) if words else 2000, int(words[1]) if len(words) > 1 else 31
    with ProcessPoolExecutor() as pool:
        came = list(pool.map(one, [seed * 100_000 + k for k in range(count)], chunksize=20))
    change, held, lines, changed = zip(*came, strict=True)
    said = (
        f"{count} random plans, `./run measure plans {count} {seed}`, {datetime.date.today()}: one to three rows of two to four posts, five "
        "stocks, three tolerances, with and without limits between neighbours, to a stack, and on thicknesses.\n\n"
        f"- A post that can't be cured changed no other post's gap by more than a quarter of the thinnest leaf in {sum(held)} of {count} "
        f"(the most it changed one by: {max(change) * 1000:.3f} mm).\n"
        f"- Booked as planned, in any order, to the end: {sum(n > 0 for n in lines)} plans had other lines to compare, {sum(lines)} "
        f"comparisons in all; {sum(changed)} lines had changed, in {sum(n > 0 for n in changed)} plans."
    )
    print(said)
    put(HEAD, [HEAD, "", said])
    return 0
