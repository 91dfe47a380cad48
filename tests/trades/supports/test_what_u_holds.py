"""What U of the supports must hold, on posts read by a simulator of its own: how finely, a laser's axes, a collimation left in."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from tests.trades.run.test_run_more import Job
from tests.trades.supports.test_works import Book
from vivid_keel.core.instruments.used import WAY, instrument_draft, instrument_from_way
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.supports.fold import fold_supports
from vivid_keel.trades.supports.measure import work_out_supports

XY = np.array([(1.5 * (i % 4), 2.0 * (i // 4)) for i in range(12)], dtype=float)


def posts(rng, step, tilt, level):
    """Twelve posts read from a laser in a corner, whose plane tips some way: the book, and the true heights."""
    true = rng.normal(0, 0.004, 12)
    book = Book("supports")
    book.add(instrument_draft(book.work, level))
    way = rng.uniform(0, 2 * math.pi)
    plane = XY @ (tilt * np.array([math.cos(way), math.sin(way)]))
    u = math.sqrt(max(level.base**2 - 0.001**2 / 12, 0.0))
    for i, x in enumerate(XY[:, 0]):
        wild = 3.0 if rng.random() < 0.02 else 1.0
        reading = 1.482 - true[i] + plane[i] + rng.normal(0, u) * wild
        book.post(
            f"P{i + 1}",
            f"{round(reading / step) * step:.4f}".rstrip("0"),
            x=float(x),
            row="ABC"[i // 4],
            sense="hangs",
        )
        # a scale that hangs reads less the higher the post: height = line + reading
    return book, -true


def covered(runs, seed, *, step=0.001, tilt=0.0, axis=0.0):
    rng, inside = np.random.default_rng(seed), []
    for _ in range(runs):
        level = replace(instrument_from_way(WAY["optical"]), per_metre=0.0, axis=axis)
        book, true = posts(rng, step, tilt, level)
        result = work_out_supports(fold_supports(book.journal, book.work))
        off = result.heights - result.targets
        keeper = result.aim.keeper
        truly = true - true[keeper]
        seen = off - off[keeper]
        inside += [abs(seen[i] - truly[i]) <= 2 * result.u_deviation[i] for i in range(12) if i != keeper]
    return float(np.mean(inside)), len(inside)


def slack(share, n):
    return 3 * math.sqrt(share * (1 - share) / (n / 11))


@pytest.mark.parametrize("step", [0.001, 0.005, 0.01])
def test_u_covers_however_finely_the_posts_were_read(step):
    share, n = covered(120, 3, step=step)
    assert share >= 0.93 - slack(0.93, n)


def test_u_holds_a_laser_whose_plane_tips():
    bare, n = covered(120, 4, tilt=0.0003)
    held, _ = covered(120, 4, tilt=0.0003, axis=0.0003)
    assert bare < 0.93  # what it was without
    assert held >= 0.93 - slack(0.93, n)


def test_a_runs_u_holds_it_too():
    rng, inside, bare = np.random.default_rng(5), [], []
    level = replace(instrument_from_way(WAY["rotary-receiver"]), axis=0.0002)
    for _ in range(60):
        job = Job()
        run = job.run()
        job.known(run, "BM", "50")
        job.put(instrument_draft(run, level))
        ground, heights = 0.0, []
        for s in range(4):
            if s:
                job.put(Draft(run, "setup", {}))
            line, tip = ground + 1.5, 0.0002 * rng.choice([-1, 1])  # along the way, up or down
            back, fore = rng.uniform(10, 25, 2).round()
            u = 0.0007 + 0.00003 * np.array([back, fore])
            job.sight(
                run,
                "BS",
                "BM" if s == 0 else f"C{s}",
                f"{1.5 - tip * back + rng.normal(0, u[0]):.3f}",
                distance=f"{back:g}",
            )
            ground = line - rng.uniform(1, 2)
            job.sight(
                run,
                "FS",
                f"C{s + 1}",
                f"{line - ground + tip * fore + rng.normal(0, u[1]):.3f}",
                distance=f"{fore:g}",
            )
            heights.append(ground)
        result = job.out(run)
        at = [1, 3, 5, 7]
        off = np.abs(result.reduction.heights[at] - 50 - heights)
        u = result.u_heights()[at]
        inside += (off <= 2 * u).tolist()
        bare += (off <= 2 * (u - result.axis_bound()[at] / 2)).tolist()
    assert np.mean(bare) < 0.6
    assert np.mean(inside) >= 0.93
    assert result.axis_bound()[1] == pytest.approx(0.0002 * float(result.distances[:2].sum()))
