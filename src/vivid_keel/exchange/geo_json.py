"""Marks with plan positions as GeoJSON: points of supports, and marks of a run that were given a place."""

from __future__ import annotations

import json
from collections.abc import Iterable

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing


def write_points(name: str, points: Iterable[tuple[str, float, float, float, dict[str, object]]]) -> str:
    """Return points as a GeoJSON FeatureCollection.

    Coordinates are the job's own: metres across, metres along, metres up, as was entered. They are
    not longitudes; `frame` says so, since GeoJSON itself has no word for a local frame.

    Parameters
    ----------
    name : str
    points : iterable of (name, x, y, height, properties)
        [m]; height nan where it is not known.

    Raises
    ------
    KeelError
        `no-positions` where there is no point.
    """
    features = []
    for mark, x, y, height, more in points:
        place = [round(x, 4), round(y, 4), *([round(height, 5)] if not is_missing(height) else [])]
        features.append(
            {
                "type": "Feature",
                "geometry": {"type": "Point", "coordinates": place},
                "properties": {"name": mark, **more},
            }
        )
    if not features:
        raise KeelError(
            "no-positions", "no mark here has a place in plan; give marks a place under Heights, Places"
        )
    whole = {
        "type": "FeatureCollection",
        "name": name,
        "frame": "local plan of the job, metres",
        "features": features,
    }
    return json.dumps(whole, ensure_ascii=False, indent=1, allow_nan=False)
