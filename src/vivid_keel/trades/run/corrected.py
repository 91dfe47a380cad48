"""What is taken off the readings of a run and what is left in, in sentences."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import is_missing, show_amount
from vivid_keel.trades.run.axes import axis_errors
from vivid_keel.trades.run.corrections import corrections
from vivid_keel.trades.run.result import RunResult


def _axes(result: RunResult) -> list[Finding]:
    """What a laser's axes do to the readings, where they are known and no small matter."""
    book, style = result.book, result.book.style
    took = [book.instruments[book.rows[i].instrument] for i in book.sights]
    laser = [i.tips is not None for i in took]
    if not any(laser):
        return []
    errors = axis_errors(book, result.distances)
    told = np.isfinite(result.distances) & np.array(
        [not is_missing(book.rows[i].azimuth) for i in book.sights]
    )
    open_ones = int((np.array(laser) & ~told).sum())
    if errors is None or not book.settings.use_axes:
        most = result.axis_bound()
        worst = 0.0 if most is None or np.isnan(most).all() else float(np.nanmax(most))
        if worst <= style.step:
            return []
        return [
            Finding(
                "note",
                f"The laser's axes are left in: up to {show_amount(worst, style)}",
                "It is in U, as a bound. Book at each sight which side of the laser faced the staff, and its distance (Readings, Hairs and looks): then it is taken off.",
                action="looks",
                action_label="Go to the sights",
            )
        ]
    text = "Readings stay as read; what is taken off each stands in its working (F4)."
    if open_ones:
        text = f"{open_ones} sight{'s' if open_ones > 1 else ''} without side or distance: there the axes stay in, and in U. {text}"
    return [
        Finding(
            "open" if open_ones else "note",
            f"The laser's axes are taken out: up to {show_amount(float(np.abs(errors).max()), style)}",
            text,
        )
    ]


def corrected_findings(result: RunResult) -> list[Finding]:
    """Return what there is to say of what is taken off the readings, and of what is left in."""
    settings, style = result.book.settings, result.book.style
    instrument = next((i.collimation for i in result.book.instruments if i.collimation is not None), None)
    unknown = int(np.isnan(result.distances).sum())
    out = _axes(result)
    if instrument is not None and settings.use_collimation and unknown:
        out.append(
            Finding(
                "open",
                f"{unknown} sight{'s' if unknown > 1 else ''} without a distance",
                "No collimation correction there; the worst it may be is in the U of those heights.",
            )
        )
    if (
        (instrument is not None and not settings.use_collimation)
        or settings.use_curvature
        or settings.use_collimation
    ):
        greatest = corrections(result)
        if (
            instrument is not None
            and not settings.use_collimation
            and greatest.greatest_collimation > style.step
        ):
            out.append(
                Finding(
                    "open",
                    f"Collimation is left in: up to {show_amount(greatest.greatest_collimation, style)}",
                    "The instrument's error is known and not taken out. Switch it on under Proof, Class and spread.",
                    action="proof",
                    action_label="Go to it",
                )
            )
        for on, what, amount in (
            (settings.use_collimation, "Collimation", greatest.greatest_collimation),
            (settings.use_curvature, "Curvature and refraction", greatest.greatest_curvature),
        ):
            if on and not is_missing(amount):
                out.append(
                    Finding(
                        "note",
                        f"{what} taken out: up to {show_amount(amount, style)}",
                        "Readings stay as read; each set-up's part is under Heights, Corrections.",
                    )
                )
    return out
