"""An archive's results worked out again from its tables by the rules of its README, with nothing but the standard library."""

from __future__ import annotations

import csv
import math
import re
from collections import defaultdict

import pytest

from tests.mill import mill
from vivid_keel.archive.writing import write_archive


@pytest.fixture(scope="module")
def kept(tmp_path_factory, qapp):
    folder = tmp_path_factory.mktemp("kept")
    with mill(folder / "mill.keel") as job:
        return write_archive(job, folder / "mill.archive")


def rows(path):
    return list(csv.DictReader(path.read_text(encoding="utf-8").splitlines()))


def told(kept, work):
    """What an archive says of a work: by what it is of, and the quantity."""
    (folder,) = kept.glob(f"?? {work}")
    return folder, {(row["of"], row["quantity"]): row for row in rows(folder / "results.csv")}


def value(table, of, quantity):
    return float(table[of, quantity]["value"])


def same(a, b):
    return abs(a - b) <= 2e-9 * max(1.0, abs(a))


def solved(matrix, right):
    """Gauss, with the largest pivot of each column."""
    n = len(right)
    m = [[*row, r] for row, r in zip(matrix, right, strict=True)]
    for k in range(n):
        p = max(range(k, n), key=lambda i: abs(m[i][k]))
        m[k], m[p] = m[p], m[k]
        for i in range(k + 1, n):
            f = m[i][k] / m[k][k]
            for j in range(k, n + 1):
                m[i][j] -= f * m[k][j]
    out = [0.0] * n
    for k in reversed(range(n)):
        out[k] = (m[k][n] - sum(m[k][j] * out[j] for j in range(k + 1, n))) / m[k][k]
    return out


def adjusted(lines, held):
    """Heights by least squares: lines (from, to, rise, sigma), marks that are held."""
    names = [n for n in dict.fromkeys(x for a, b, _, _ in lines for x in (a, b)) if n not in held]
    at = {name: k for k, name in enumerate(names)}
    normal, right = [[0.0] * len(names) for _ in names], [0.0] * len(names)
    for a, b, rise, sigma in lines:
        w = 1 / sigma**2
        signs = [(at[name], sign) for name, sign in ((a, -1.0), (b, 1.0)) if name in at]
        rest = rise + held.get(a, 0.0) - held.get(b, 0.0)
        for i, s in signs:
            right[i] += w * s * rest
            for j, t in signs:
                normal[i][j] += w * s * t
    return {**held, **dict(zip(names, solved(normal, right), strict=True))}


def test_posts_their_deviations_moves_leans_and_gaps(kept):
    folder, table = told(kept, "Mill floor posts")
    read = defaultdict(list)
    leans, reference = {}, {}
    for row in rows(folder / "as-read.csv"):
        if row["struck"]:
            continue
        if found := re.fullmatch(r"reading, point (\S+), phase (found|left)", row["what"]):
            read[found[1], found[2]].append(float(row["value"]))
        elif found := re.match(r"reference, phase (found|left)", row["what"]):
            reference[found[1]] = float(row["value"])
        elif found := re.match(
            r"lean, point (\S+), way (\S+), with level, length_m (\S+), (first|second)", row["what"]
        ):
            leans.setdefault((found[1], found[2], float(found[3])), {})[found[4]] = float(row["value"])
    moved = reference["left"] - reference["found"]
    points = {of for of, quantity in table if quantity == "target"}
    assert len(points) == 12
    for name in points:
        height = sum(read[name, "found"]) / len(read[name, "found"])
        assert same(height, value(table, name, "height as found, on the line of the readings"))
        off = height - value(table, name, "target")
        assert same(off, value(table, name, "deviation as found"))
        if (name, "move, + up") in table:
            assert same(-off, value(table, name, "move, + up"))
        if (name, "height as left") not in table:
            continue
        left = read[name, "left"][-1] + moved
        assert same(left, value(table, name, "height as left"))
        keeper = re.search(r"as found of (\S+)", table[name, "target as left"]["formula"])
        target = value(table, name, "target")
        if keeper:
            target += (
                read[keeper[1], "left"][-1]
                + moved
                - sum(read[keeper[1], "found"]) / len(read[keeper[1], "found"])
            )
        assert same(target, value(table, name, "target as left"))
        assert same(left - target, value(table, name, "deviation as left"))
    assert len(leans) == 2
    for (name, way, length), ends in leans.items():
        lean = (ends["first"] + ends["second"]) / 2
        assert same(lean, value(table, name, f"lean, {way}"))
        assert same(length * math.tan(lean), value(table, name, f"lean, {way}: the head off plumb"))


@pytest.mark.parametrize("work", ["Setting-out table", "Lathe bed", "Runner stone spindle", "Sorting table"])
def test_bodies_their_deviations_and_moves(kept, work):
    _, table = told(kept, work)
    points = [of for of, quantity in table if quantity == "target"]
    assert len(points) >= 3
    for name in points:
        height = value(table, name, "height as found, on the line of the readings")
        off = height - value(table, name, "target")
        assert abs(off - value(table, name, "deviation as found")) < 3e-12
        if (name, "move, + up") in table:
            assert abs(-off - value(table, name, "move, + up")) < 3e-12


def test_a_table_by_least_squares(kept):
    folder, table = told(kept, "Setting-out table")
    read = []
    for row in rows(folder / "as-read.csv"):
        found = re.fullmatch(r"laid, from (\S+), to (\S+), way (-?1), phase found", row["what"])
        if found and not row["struck"]:
            read.append((found[1], found[2], int(found[3]), float(row["value"])))
    names = list(dict.fromkeys(x for a, b, _, _ in read for x in (a, b)))
    free = [*names[1:], "zero"]
    where = {n: (value(table, n, "along"), value(table, n, "across")) for n in names}
    lines = []
    for a, b, way, tilt in read:
        line = dict.fromkeys(free, 0.0)
        d = math.dist(where[a], where[b])
        for name, sign in ((a, -1), (b, 1)):
            if name in line:
                line[name] += sign / d
        line["zero"] += way
        lines.append(([line[x] for x in free], tilt))
    n = range(len(free))
    found = solved(
        [[sum(r[i] * r[j] for r, _ in lines) for j in n] for i in n],
        [sum(r[i] * v for r, v in lines) for i in n],
    )
    heights = {names[0]: 0.0, **dict(zip(free, found, strict=True))}
    for name in names:
        assert abs(heights[name] - value(table, name, f"height as found, against {names[0]}")) < 3e-12
    assert abs(heights["zero"] - value(table, "the level", "own error as found")) < 3e-12
    middle = sum(heights[name] for name in names) / len(names)
    for name in names:
        told_of = value(table, name, "height as found, on the line of the readings")
        assert abs(heights[name] - middle - told_of) < 3e-12


def test_an_axis_by_least_squares(kept):
    folder, table = told(kept, "Runner stone spindle")
    read = []
    for row in rows(folder / "as-read.csv"):
        if (found := re.match(r"turned, azimuth (\S+), phase found", row["what"])) and not row["struck"]:
            a = math.radians(float(found[1]))
            read.append(((1.0, math.cos(a), math.sin(a)), float(row["value"])))
    assert len(read) >= 4
    zero, along, across = solved(
        [[sum(r[i] * r[j] for r, _ in read) for j in range(3)] for i in range(3)],
        [sum(r[i] * v for r, v in read) for i in range(3)],
    )
    for quantity, mine in (
        ("lean as found, along", along),
        ("lean as found, across", across),
        ("lean as found", math.hypot(along, across)),
        ("the level's own zero as found", zero),
    ):
        assert abs(mine - value(table, "axis", quantity)) < 3e-12, quantity


def test_carried_marks_slab_up_and_what_is_cut(kept):
    folder, table = told(kept, "Hurst frame marks")
    taped = {}
    for row in rows(folder / "as-read.csv"):
        if (found := re.match(r"column, name (H\d), .*(design|top|to_slab)$", row["what"])) and not row[
            "struck"
        ]:
            taped[found[1], found[2]] = float(row["value"])
    columns = [of for of, quantity in table if quantity == "height of the mark"]
    assert len(columns) == 8
    checked = 0
    for name in columns:
        mark = value(table, name, "height of the mark")
        up = taped[name, "design"] - mark
        assert same(up, value(table, name, "up from the mark"))
        for of, quantity, mine in (
            ("to_slab", "slab", lambda x, mark=mark: mark - x),
            ("top", "to cut, − to make up", lambda x, up=up: x - up),
        ):
            if (name, quantity) in table:
                assert same(mine(taped[name, of]), value(table, name, quantity))
                checked += 1
    assert checked >= 12


@pytest.mark.parametrize("work", ["Gatepost to weir", "Weir to gatepost"])
def test_a_runs_adjusted_heights_by_set_ups(kept, work):
    (folder,) = kept.glob(f"?? {work}")
    table = {row["mark"]: row for row in rows(folder / "results.csv")}
    read = [r for r in rows(folder / "as-read.csv") if r["sight"] in {"BS", "IS", "FS"} and not r["struck"]]
    n, last = int(read[-1]["setup"]), read[-1]["mark"]
    off = float(table[last]["adjusted_m"]) - float(table[last]["corrected_m"])
    assert abs(off) > 0.001 and n == 3
    first = {}
    for row in read:
        if row["sight"] != "BS":
            first.setdefault(row["mark"], int(row["setup"]))
    checked = 0
    for mark, row in table.items():
        if mark in first:
            mine = float(row["corrected_m"]) + first[mark] / n * off
            assert abs(mine - float(row["adjusted_m"])) < 1e-9, mark
            checked += 1
    assert checked >= 5


def test_a_trailer(kept):
    folder, table = told(kept, "Welfare trailer")
    said = {}
    for row in rows(folder / "as-read.csv"):
        if found := re.fullmatch(r"(?:vehicle, what|tilts, phase found,) (\S+)", row["what"]):
            said[found[1]] = float(row["value"])
    roll, pitch = said["roll_rad"], said["pitch_rad"]
    assert same(roll, value(table, "body", "roll as found, + right side high"))
    low = next(of for of, quantity in table if quantity == "step taken")
    step = value(table, low, "step taken")
    assert same(said["track"] * math.tan(abs(roll)), value(table, low, "lift wanted"))
    nose = (step / 2 - said["length"] * math.tan(pitch)) * said["jockey"] / said["length"]
    assert same(nose, value(table, "jockey wheel", "lift wanted"))
    stays = math.atan(math.tan(roll) - step / said["track"])
    assert abs(stays - value(table, "body", "roll that stays once that is done")) < 3e-12


def straight(read, n, *, outside):
    """What was read at some of n sleepers, at all of them: straight between two, and outside them 0 or as at the nearest."""
    at = sorted(read)
    out = []
    for k in range(1, n + 1):
        if k < at[0] or k > at[-1]:
            out.append(outside if outside is not None else read[at[0] if k < at[0] else at[-1]])
            continue
        a = max(x for x in at if x <= k)
        b = min(x for x in at if x >= k)
        out.append(read[a] if a == b else read[a] + (read[b] - read[a]) * (k - a) / (b - a))
    return out


def quarter(x):
    return math.floor(4 * x + 0.5 + 1e-9) / 4


def test_track_its_lifts_hollows_and_levels(kept):
    folder, table = told(kept, "Stone tramway")
    read = defaultdict(dict)
    for row in rows(folder / "as-read.csv"):
        found = re.fullmatch(r"track-reading, what (.+), sleeper (\d+), phase found", row["what"])
        if found and not row["struck"]:
            read[found[1]][int(found[2])] = float(row["value"])
    n = sum(quantity == "lift at rest, left rail" for _, quantity in table)
    assert n == 120
    measure, wanted, along = (
        value(table, "stretch", q)
        for q in ("one measure lifts", "cross level wanted, + right high", "sights along")
    )
    dip, cross = straight(read["sight"], n, outside=0.0), straight(read["cross"], n, outside=None)
    for k in range(n):
        of = f"sleeper {k + 1}"
        other = max(dip[k] + along * (cross[k] - wanted) / measure, 0.0)
        left, right = (other, dip[k]) if along > 0 else (dip[k], other)
        for rail, lift in (("left", quarter(left)), ("right", quarter(right))):
            hollow = quarter(read[f"void {rail}"].get(k + 1, 0.0))
            assert same(lift, value(table, of, f"lift at rest, {rail} rail"))
            assert same(hollow, value(table, of, f"hollow under load, {rail} rail"))
            assert same(lift + hollow, value(table, of, f"to go under, {rail} rail"))
        assert abs(cross[k] - value(table, of, "cross level as found, + right high")) < 3e-12
        packed = (of, "cross level once packed, + right high")
        if packed in table:
            lifted = cross[k] + (quarter(right) - quarter(left)) * measure
            assert abs(lifted - value(table, *packed)) < 3e-12


def part(area, d):
    """What a triangle holds under the plane: its volume, and the area it stands on, of depths below it at its corners."""
    below = [x for x in d if x > 0]
    if len(below) == 3 or not below:
        return (area * sum(d) / 3, area) if below else (0.0, 0.0)
    alone = below[0] if len(below) == 1 else next(x for x in d if x <= 0)
    a, b = [x for k, x in enumerate(d) if k != d.index(alone)]
    share = alone * alone / ((alone - a) * (alone - b))
    one = area * share * alone / 3
    return (one, area * share) if len(below) == 1 else (area * sum(d) / 3 - one, area * (1 - share))


@pytest.mark.parametrize("work", ["Drying yard", "Drying yard in autumn"])
def test_ground_its_heights_depths_volumes_and_areas(kept, work):
    folder, table = told(kept, work)
    plane = [value(table, "plane", q) for q in ("height at 0, 0", "rises along", "rises across")]

    def at(x, y):
        return plane[0] + plane[1] * x + plane[2] * y

    read = {}
    for row in rows(folder / "as-read.csv"):
        if (found := re.match(r"ground-point, name ([^,]+),", row["what"])) and not row["struck"]:
            read[found[1]] = float(row["value"])
    points = [of for of, quantity in table if quantity == "along"]
    assert len(points) >= 10
    for name in points:
        x, y = value(table, name, "along"), value(table, name, "across")
        z = value(table, name, "height")
        if (name, "line above it") in table:
            assert same(z, value(table, name, "line above it") - read[name])
        assert same(at(x, y) - z, value(table, name, "below the plane"))
    edge = [of for of in points if (of, "line above it") in table][:5]
    if edge:  # the string came back 4 mm high: the closing by the way gone round the edge
        ways = [
            math.dist(*((value(table, name, "along"), value(table, name, "across")) for name in (a, b)))
            for a, b in zip(edge, [*edge[1:], edge[0]], strict=True)
        ]
        start = value(table, edge[0], "line above it")
        for k, name in enumerate(edge):
            line = start + 0.004 * sum(ways[:k]) / sum(ways)
            assert same(line, value(table, name, "line above it"))
    area = room = over = wet = 0.0
    deepest = -math.inf
    for row in rows(folder / "triangles.csv"):
        (x1, y1, z1), (x2, y2, z2), (x3, y3, z3) = (
            [float(row[f"{axis}{k}_m"]) for axis in "xyz"] for k in (1, 2, 3)
        )
        a = abs((x2 - x1) * (y3 - y1) - (x3 - x1) * (y2 - y1)) / 2
        d = [at(x1, y1) - z1, at(x2, y2) - z2, at(x3, y3) - z3]
        area += a
        volume, on = part(a, d)
        room, wet = room + volume, wet + on
        over += part(a, [-x for x in d])[0]
        deepest = max(deepest, *d)
    for of, quantity, mine in (
        ("ground", "area in plan", area),
        ("ground", "room below the plane", room),
        ("ground", "ground above the plane", over),
        ("ground", "area below the plane", wet),
        ("ground", "deepest below the plane", deepest),
    ):
        assert abs(mine - value(table, of, quantity)) < 1e-7, quantity


def test_a_network_by_least_squares(kept):
    folder, table = told(kept, "Marks of the mill")
    lines = [
        (r["from"], r["to"], float(r["rise_m"]), float(r["sigma_m"])) for r in rows(folder / "as-read.csv")
    ]
    held = {of: float(r["value"]) for (of, q), r in table.items() if q == "height" and float(r["U"]) == 0}
    heights = adjusted(lines, held)
    marks = [of for of, quantity in table if quantity == "height"]
    assert len(marks) == 11 and len(lines) == 20
    for mark in marks:
        assert abs(heights[mark] - value(table, mark, "height")) < 1e-8
    for a, b, rise, _ in lines:
        told_of = value(table, f"{a} to {b}", "correction of the rise")
        assert abs(heights[b] - heights[a] - rise - told_of) < 1e-8


def test_what_came_over_the_years(kept):
    folder, table = told(kept, "Mill over three years")
    by = defaultdict(list)
    for row in rows(folder / "as-read.csv"):
        if not row["left_out"]:
            rise, sigma = float(row["rise_m"]), float(row["sigma_m"])
            by[row["occasion"]].append((row["mark"], f"line {row['stand']}", rise, sigma))
    first = next(iter(by))
    own = {when: adjusted(lines, {"BM gatepost": 0.0}) for when, lines in by.items()}
    heights = {
        when: {q: float(r["value"]) for (q, k), r in table.items() if k == f"height, {when}"} for when in by
    }
    for (
        when,
        mine,
    ) in own.items():  # told but for a datum: the same differences, where no benchmark lends to them
        marks = [mark for mark in heights[when] if mark in mine]
        assert len(marks) >= 5
        off = [heights[when][mark] - mine[mark] for mark in marks]
        assert max(off) - min(off) < 0.0012  # what the benchmarks of other occasions mend
    last = list(by)[-1]
    for of, quantity in table:
        if quantity == "change since first read":
            whens = [when for when in by if of in heights[when]]
            change = heights[whens[-1]][of] - heights[whens[0]][of]
            assert abs(change - value(table, of, quantity)) < 1e-9
    assert first != last


def test_the_rules_stand_in_the_readme_and_every_check_here_is_of_one(kept):
    text = (kept / "README.txt").read_text(encoding="utf-8")
    for said in (
        "target as left",
        "triangles.csv",
        "closing * way gone",
        "/ sigma)^2 least",
        "(first + second) / 2",
    ):
        assert said in text
