"""Lines that a surface keeps, holes in it, the ground along a way, and where water stands: against what is known otherwise."""

from __future__ import annotations

import heapq
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.against import Plane, against
from vivid_keel.core.surface.hollows import hollows
from vivid_keel.core.surface.lines import beside
from vivid_keel.core.surface.profile import profile
from vivid_keel.core.surface.tin import blindest, surface
from vivid_keel.core.surface.uncertainty import area_known, foretold, volume_known


def sides_of(tin):
    every = np.concatenate([np.roll(tin.triangles, -k, axis=1)[:, :2] for k in range(3)])
    return {(int(min(p)), int(max(p))) for p in every}


@given(st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_every_piece_of_every_line_is_a_side_of_triangles(seed):
    """Whatever crosses whatever at whatever angle: the lines are of one height where they cross, for all lie on a plane."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(5, 50))
    xyz = np.column_stack([rng.uniform(0, 10, (n, 2)), np.zeros(n)])
    xyz[:, 2] = 0.1 * xyz[:, 0] - 0.03 * xyz[:, 1]
    lines = [rng.permutation(n)[: int(rng.integers(2, 6))].tolist() for _ in range(int(rng.integers(1, 4)))]
    tin = surface(xyz, None, lines)
    assert {(int(min(p)), int(max(p))) for p in tin.lines.pieces} <= sides_of(tin)
    assert tin.xyz[:, 2] == pytest.approx(0.1 * tin.xyz[:, 0] - 0.03 * tin.xyz[:, 1], abs=1e-9)
    ends = {k for line in lines for k in line}
    assert ends <= set(tin.lines.pieces.reshape(-1).tolist())


def bank(rng, spots):
    """A yard 10 by 8, flat to x = 5, a metre up to x = 6, flat from there: spots drawn anywhere, and the corners of its two edges."""

    def z(x):
        return np.clip(np.asarray(x) - 5.0, 0.0, 1.0)

    corners = [(0, 0), (10, 0), (10, 8), (0, 8)]
    top_and_bottom = [(5, 0), (5, 8), (6, 0), (6, 8)]
    anywhere = np.column_stack([rng.uniform(0.2, 9.8, spots), rng.uniform(0.2, 7.8, spots)])
    xy = np.concatenate([np.array([*corners, *top_and_bottom], dtype=float), anywhere])
    return np.column_stack([xy, z(xy[:, 0])])


def test_a_bank_with_its_edges_is_the_bank_and_without_them_is_not():
    xyz = bank(np.random.default_rng(4), 40)
    edges = [[4, 5], [6, 7]]
    # Below a plane at 1: 5·8·1 in front, half of 1·8·1 on the slope.
    with_edges = against(surface(xyz, [0, 1, 2, 3], edges).pieces, Plane(1.0))
    assert with_edges.fill == pytest.approx(44.0, abs=1e-9) and with_edges.area == pytest.approx(80.0)
    without = against(surface(xyz, [0, 1, 2, 3]).pieces, Plane(1.0))
    assert abs(without.fill - 44.0) > 0.3


def test_what_was_put_on_a_line_is_no_measurement_of_its_own():
    """U hangs on the points that were measured: parted lines bring no new ones, and foretell nothing across a break."""
    xyz = bank(np.random.default_rng(4), 40)
    tin = surface(xyz, [0, 1, 2, 3], [[4, 5], [6, 7]])
    assert len(tin.xyz) > tin.given == len(xyz)
    off = foretold(tin)
    assert np.isnan(off[4:8]).all() and np.isnan(off[tin.given :]).all()
    known = volume_known(tin, Plane(2.0), 0.01, np.full(len(tin.xyz), np.nan))
    # Seen otherwise: each measured point raised by itself, lines and all.
    each = []
    base = against(tin.pieces, Plane(2.0)).fill
    for k in range(len(xyz)):
        moved = tin.xyz.copy()
        moved[k, 2] += 0.01
        moved[tin.given :, 2] += 0.01 * np.where(tin.lines.between[:, 0] == k, 1 - tin.lines.share, 0)
        moved[tin.given :, 2] += 0.01 * np.where(tin.lines.between[:, 1] == k, tin.lines.share, 0)
        each.append(against(moved[tin.triangles], Plane(2.0)).fill - base)
    assert known.u == pytest.approx(math.sqrt(sum(v**2 for v in each)), rel=0.02)


def test_a_wall_is_a_step_and_its_volume_is_right():
    """A yard at 0 and a terrace at 0.6, a wall between them that stands 10 mm thick, bent once."""
    foot = np.array([[5.0, 0.0], [5.0, 4.0], [7.0, 8.0]])
    top = beside(foot, -0.010)
    assert top[0] == pytest.approx([5.010, 0.0])
    plan = [(0, 0), (5, 0), (10, 0), (10, 8), (7, 8), (0, 8), (5, 4)]
    xyz = np.array([[*p, 0.6 if p in {(10, 0), (10, 8)} else 0.0] for p in plan])
    xyz = np.concatenate([xyz, np.column_stack([top, np.full(3, 0.6)])])
    tin = surface(xyz, [0, 1, 2, 3, 4, 5], [[1, 6, 4], [7, 8, 9]])
    low = 5 * 4 + (5 + 7) / 2 * 4
    found = against(tin.pieces, Plane(0.6))
    assert found.fill == pytest.approx(0.6 * low, abs=0.6 * 0.010 * 9 / 2 * 1.1)
    assert found.highest == pytest.approx(0.0, abs=1e-12)  # nothing sticks out above the terrace


def test_a_house_is_cut_out_of_the_yard():
    corners = [(0, 0), (10, 0), (10, 8), (0, 8)]
    house = [(3, 3), (6, 3), (6, 4), (4, 4), (4, 6), (3, 6)]  # an L
    xyz = np.array([[*p, -0.2] for p in (*corners, *house)])
    for turned in (house, house[::-1]):
        order = [4 + house.index(p) for p in turned]
        tin = surface(xyz, [0, 1, 2, 3], (), [order])
        found = against(tin.pieces, Plane(0.0))
        assert found.area == pytest.approx(80 - 5) and found.fill == pytest.approx(0.2 * 75)


@pytest.mark.parametrize(
    ("lines", "heights", "said"),
    [
        ([[0, 2], [1, 3]], [0, 0, 0, 0.3, 0], "lines 1 and 2 cross at 5.00 along, 4.00 across, 150 mm"),
        ([[0, 2]], [0, 0, 0, 0, 0.04], "line 1 goes over point 5 40 mm off its height"),
        ([[0, 0]], [0, 0, 0, 0, 0], "line 1 goes from point 1 to itself"),
    ],
)
def test_a_line_through_the_air_is_refused_where_it_is(lines, heights, said):
    plan = [(0, 0), (10, 0), (10, 8), (0, 8), (2.5, 2.0)]
    xyz = np.array([[*p, z] for p, z in zip(plan, heights, strict=True)])
    with pytest.raises(KeelError, match=said) as refused:
        surface(xyz, None, lines)
    assert refused.value.code == "bad-line"


def test_a_profile_over_a_plane_is_a_line_and_leaves_out_what_is_no_ground():
    rng = np.random.default_rng(2)
    xyz = np.column_stack([rng.uniform(0, 10, (60, 2)), np.zeros(60)])
    corners = np.array(
        [[0, 0, 0], [10, 0, 0], [10, 10, 0], [0, 10, 0], [4, 4, 0], [6, 4, 0], [6, 6, 0], [4, 6, 0]]
    )
    xyz = np.concatenate([corners, xyz[(np.abs(xyz[:, :2] - 5) > 1.2).any(axis=1)]]).astype(float)
    xyz[:, 2] = 0.3 * xyz[:, 0] - 0.1 * xyz[:, 1] + 2
    tin = surface(xyz, [0, 1, 2, 3], (), [[4, 5, 6, 7]])
    way = np.array([[1.0, 5.0], [9.0, 5.0], [9.0, 9.0]])
    cut = profile(tin.pieces, way)
    (gap,) = np.flatnonzero(np.isnan(cut[:, 0]))
    assert cut[gap - 1, 0] == pytest.approx(3.0) and cut[gap + 1, 0] == pytest.approx(5.0)  # round the well
    assert cut[0, 0] == 0.0 and cut[-1, 0] == pytest.approx(12.0)
    for far, high in np.delete(cut, gap, axis=0):
        x, y = (1 + far, 5.0) if far <= 8 else (9.0, 5 + far - 8)
        assert high == pytest.approx(0.3 * x - 0.1 * y + 2, abs=1e-9)


def flooded(xyz, triangles):
    """How high water rises at every corner: outlets first, the lowest way in next, as it is taught."""
    near, times = {k: set() for k in range(len(xyz))}, {}
    for corners in triangles.tolist():
        for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
            near[a].add(b)
            near[b].add(a)
            side = (min(a, b), max(a, b))
            times[side] = times.get(side, 0) + 1
    risen = np.full(len(xyz), np.inf)
    queue = [(float(xyz[v, 2]), v) for v in {v for side, n in times.items() if n == 1 for v in side}]
    for z, v in queue:
        risen[v] = z
    heapq.heapify(queue)
    while queue:
        level, v = heapq.heappop(queue)
        for other in near[v] if level <= risen[v] else ():
            up = max(level, float(xyz[other, 2]))
            if up < risen[other]:
                risen[other] = up
                heapq.heappush(queue, (up, other))
    return risen


@pytest.mark.parametrize("seed", range(8))
def test_hollows_fill_to_where_they_spill(seed):
    rng = np.random.default_rng(seed)
    n = int(rng.integers(20, 200))
    xyz = np.column_stack([rng.uniform(0, 10, (n, 2)), rng.normal(0, 0.2, n)])
    tin = surface(xyz)
    found, risen = hollows(xyz, tin.triangles), flooded(xyz, tin.triangles)
    wet = risen > xyz[:, 2] + 1e-6
    assert sorted({round(float(v), 9) for v in risen[wet]}) == sorted({round(one.level, 9) for one in found})
    assert [one.volume for one in found] == sorted((one.volume for one in found), reverse=True)
    for one in found:
        x, y, deep = one.lowest
        at = int(np.hypot(*(xyz[:, :2] - (x, y)).T).argmin())
        assert risen[at] - xyz[at, 2] == pytest.approx(deep) and one.level == pytest.approx(risen[at])
        spill = int(np.hypot(*(xyz[:, :2] - one.spill).T).argmin())
        assert xyz[spill, 2] == pytest.approx(one.level)


def test_a_bowl_holds_a_cone_and_a_house_lets_no_water_out():
    """Eight stakes round at 0, one in the middle at −0.3: a pyramid of water. Beside a house's wall it doesn't run away."""
    turns = np.arange(8) * math.pi / 4
    rim = np.column_stack([2 * np.cos(turns), 2 * np.sin(turns), np.zeros(8)])
    xyz = np.concatenate([rim, [[0.0, 0.0, -0.3]]])
    (bowl,) = hollows(xyz, surface(xyz).triangles)
    area = 0.5 * 8 * 4 * math.sin(math.pi / 4)
    assert bowl.volume == pytest.approx(area * 0.3 / 3) and bowl.area == pytest.approx(area)
    assert bowl.lowest == pytest.approx((0.0, 0.0, 0.3)) and bowl.level == pytest.approx(0.0)
    tilted = np.array([[0, 0, 0.2], [4, 0, 0.1], [4, 3, 0.1], [0, 3, 0.2]], dtype=float)
    triangles = surface(tilted).triangles
    assert hollows(tilted, triangles) == []
    # A house all along its low side: what runs there stands, and spills over the higher corners.
    (pool,) = hollows(tilted, triangles, np.array([False, True, True, False]))
    assert pool.level == pytest.approx(0.2) and pool.volume == pytest.approx(12 * 0.05)


def test_a_way_beside_a_line_stays_as_far_from_both_its_sides():
    line = np.array([[0.0, 0.0], [4.0, 0.0], [4.0, 3.0]])
    assert beside(line, 0.5) == pytest.approx(np.array([[0.0, 0.5], [3.5, 0.5], [3.5, 3.0]]))
    assert beside(line, -0.5) == pytest.approx(np.array([[0.0, -0.5], [4.5, -0.5], [4.5, 3.0]]))


def test_points_at_one_place_have_nothing_beside_them():
    assert beside(np.zeros((3, 2)), 0.01) == pytest.approx(np.zeros((3, 2)))


@pytest.mark.parametrize("lines", [[], [[4, 5], [6, 7]]], ids=["bare", "kept"])
def test_the_area_under_water_hangs_on_each_point_as_its_edge_moves(lines):
    """Each measured point raised a hair by itself: what the area then loses, all together in squares, is the points' part of its u."""
    xyz = bank(np.random.default_rng(9), 60)
    xyz[:, 2] += 0.05 * np.random.default_rng(1).standard_normal(len(xyz))
    tin, plane, hair = surface(xyz, [0, 1, 2, 3], lines), Plane(0.43), 1e-5
    known = area_known(tin, plane, 0.01, np.full(len(tin.xyz), np.nan))
    base, each = against(tin.pieces, plane).below_area, []
    for k in range(len(xyz)):
        moved = tin.xyz.copy()
        moved[k, 2] += hair
        if tin.lines is not None:
            moved[tin.given :, 2] += hair * np.where(tin.lines.between[:, 0] == k, 1 - tin.lines.share, 0)
            moved[tin.given :, 2] += hair * np.where(tin.lines.between[:, 1] == k, tin.lines.share, 0)
        each.append((against(moved[tin.triangles], plane).below_area - base) / hair * 0.01)
    assert known.u == pytest.approx(math.sqrt(sum(v**2 for v in each)), rel=0.02)


def test_the_way_along_which_least_is_known_goes_through_what_is_empty():
    corners = np.array([[0, 0], [10, 0], [10, 10], [0, 10]], dtype=float)
    rng = np.random.default_rng(2)
    near = np.column_stack([rng.uniform(0.5, 9.5, 80), rng.uniform(0.5, 9.5, 80)])
    near = near[np.abs(near[:, 0] - near[:, 1]) > 2.5]  # nobody went from the first corner to the third
    tin = surface(np.column_stack([np.concatenate([corners, near]), np.zeros(4 + len(near))]), [0, 1, 2, 3])
    assert blindest(tin, corners) == (0, 2)
    assert blindest(tin, corners[:3]) is None  # a triangle has no way across
    notch = np.array([[0, 0], [10, 0], [10, 10], [5, 1.0], [0, 10]], dtype=float)
    bent = surface(np.column_stack([notch, np.zeros(5)]), [0, 1, 2, 3, 4])
    a, b = blindest(bent, notch)
    assert (a, b) in {(0, 3), (1, 3)}  # from arm to arm it would leave the ground


def test_a_house_stands_in_no_way():
    corners = np.array([[0, 0], [10, 0], [10, 10], [0, 10]], dtype=float)
    house = np.array([[4, 4], [6, 4], [6, 6], [4, 6]], dtype=float)
    tin = surface(
        np.column_stack([np.concatenate([corners, house]), np.zeros(8)]), [0, 1, 2, 3], (), [[4, 5, 6, 7]]
    )
    assert blindest(tin, corners) is None


def test_two_lines_side_by_side_for_longer_than_anybody_draws_are_refused_at_once():
    """A point's place in the wrong unit, most likely: 900 m in place of 9, 3 mm from the line beside it."""
    plan = [(0.0, 0.0), (900.0, 0.0), (1.0, 0.003), (897.0, 0.004), (4.0, 7.0)]
    xyz = np.array([[*p, 0.0] for p in plan])
    with pytest.raises(
        KeelError, match="between points [13] and [24] that it would go to .* in the wrong unit"
    ) as no:
        surface(xyz, None, [[0, 1], [2, 3]])
    assert no.value.code == "bad-line"
    near = xyz * [0.02, 1.0, 1.0]  # 18 m of it
    assert len(surface(near, None, [[0, 1], [2, 3]]).lines.share) < 60_000
