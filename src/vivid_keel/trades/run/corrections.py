"""Collimation, curvature and refraction of a run: what each does, set-up by set-up, and what balancing saved."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.booking.reduction import curvature_of
from vivid_keel.core.quantities import is_missing
from vivid_keel.trades.run.book import RunSettings
from vivid_keel.trades.run.result import RunResult, reduced_anew, staff_errors


class SetUpCorrection(Struct, frozen=True):
    """What a set-up's sights do to its height difference, BS to FS [m]; nan where a distance is missing.

    `collimation` and `curvature` are what each error puts into it; `saved` is the collimation error of
    the shorter sight, which balancing took out, `staff` what the staffs' own feet put in.
    """

    setup: int
    back: float
    fore: float
    collimation: float
    curvature: float
    saved: float
    staff: float


class CorrectionsOfRun(Struct, frozen=True):
    """All set-ups, and the greatest change of any height by each correction [m]; nan where not known."""

    setups: list[SetUpCorrection]
    greatest_collimation: float
    greatest_curvature: float
    greatest_staff: float


def corrections(result: RunResult) -> CorrectionsOfRun:
    """Return what the corrections are worth, whether they are switched on or not."""
    layout, d = result.layout, result.distances
    bend = curvature_of(d)
    feet = staff_errors(result.book, result.booked)
    known = any(i.collimation is not None for i in result.book.instruments)
    out = []
    for s in range(layout.setups):
        b, f = layout.backsight[s], layout.foresight[s]
        collimation = (
            result.book.instruments[result.book.rows[result.book.sights[b]].instrument].collimation
            if b >= 0
            else None
        )
        back = float(d[b]) if b >= 0 else math.nan
        fore = float(d[f]) if f >= 0 else math.nan
        put_in = math.nan if collimation is None else collimation * (back - fore)
        bent = float(bend[b] - bend[f]) if b >= 0 and f >= 0 else math.nan
        saved = (
            math.nan
            if collimation is None
            else abs(collimation) * min(back, fore)
            if not is_missing(back) and not is_missing(fore)
            else math.nan
        )
        worn = math.nan if feet is None or b < 0 or f < 0 else float(feet[b] - feet[f])
        out.append(SetUpCorrection(s, back, fore, put_in, bent, saved, worn))
    usual = result.book.settings
    tilted = replace(usual, use_collimation=True), replace(usual, use_collimation=False)
    curved = replace(usual, use_curvature=True), replace(usual, use_curvature=False)
    on_foot = replace(usual, use_staff=True), replace(usual, use_staff=False)
    return CorrectionsOfRun(
        out,
        _greatest(result, *tilted) if known else math.nan,
        _greatest(result, *curved),
        math.nan if feet is None else _greatest(result, *on_foot, anyway=True),
    )


def _greatest(result: RunResult, on: RunSettings, off: RunSettings, *, anyway: bool = False) -> float:
    """The most that switching a correction on changes any height, before spreading [m]."""
    if not len(result.booked) or (np.isnan(result.distances).all() and not anyway):
        return math.nan
    moved = np.abs(reduced_anew(result, on).reduction.heights - reduced_anew(result, off).reduction.heights)
    return math.nan if np.isnan(moved).all() else float(np.nanmax(moved))
