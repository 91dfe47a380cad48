"""A stand-in as it is played with: what it shows at each step, how long it runs, its adjusting screw."""

from __future__ import annotations

import math
import time
from typing import Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.outcome import Step, value
from vivid_keel.core.instruments.settling import Stillness
from vivid_keel.core.instruments.tool import CheckRun, Tool
from vivid_keel.core.quantities import is_missing
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit.seen import as_seen, screw
from vivid_keel.figures.measure import fitted

START = 0.008
"""How far the water of a stand-in stands off when the tube was laid down [m]."""


class Practice:
    """The stand-in of one instrument, in somebody's hands.

    Attributes
    ----------
    tool : Tool
    """

    def __init__(self, tool: Tool) -> None:
        self.tool = tool
        self._put: dict[tuple[int, str], float] = {}
        self._turned: float | None = None
        self._door: Any = None
        self._stream: Any = None
        self._heard = Stillness(False, math.nan, math.nan, 0)
        self.silent = ""
        """Why nothing is heard, "" while it can be."""

    @property
    def settles(self) -> float:
        return max(0.5, min(30.0, self.tool.traits.number("settle", 1.0)))

    def shows(self, run: CheckRun, step: Step) -> float:
        """Return what it comes to rest at, the noise of this one time put in."""
        from vivid_keel.stands.instruments import reads

        assert self.tool.hidden is not None
        rng = np.random.default_rng([run.id, *step.key.encode()])
        hidden = {"surface": 0.0, "wall": 0.0, **self.tool.hidden}
        return reads(run.procedure, run.way, step, self.tool.traits, hidden, run.seen, rng)[0]

    def since(self, run: CheckRun, step: Step) -> float:
        """Return the seconds since it was put down for a step, from the first look at it on."""
        now = time.monotonic()
        return now - self._put.setdefault((run.id, step.key), now)

    def running(self, run: CheckRun, step: Step | None) -> bool:
        """Whether it has not come to rest."""
        if step is None or step.key in run.seen:
            return False
        if run.procedure.key == "tube" and step.cycle:
            return self.since(run, step) < 1.2 * run.outcome.shown["wait"]
        if step.unit not in {"div", "tilt", "words"}:
            return False
        if self.silent:
            return False
        return self._door is not None or self.since(run, step) < self.settles * 1.2

    def picture(
        self, run: CheckRun, step: Step | None, mark: float | None, width: float, height: float
    ) -> Picture:
        """Return what is seen of it now."""
        if step is None:
            return as_seen(None, 0.0, 0.0, 5.0, width, height, settled=True)
        if step.unit == "tilt":
            still = self._heard
            shown = still.value if still.n and not self.silent else math.nan
            what = "Stand-in" if self.tool.hidden is not None else "From its port"
            seen = as_seen(step, shown, 0.0, 5.0, width, height, settled=still.still, what=what)
            if self.silent:
                said, size = fitted(f"Nothing is heard: {self.silent}", width - 28, 13, 3, 11)
                for k, line in enumerate(said):
                    seen.text(14, height - 12 - 1.2 * size * (len(said) - 1 - k), line, "wrong", size)
            return seen
        from vivid_keel.stands.instruments import bubble_at, water_at

        rest = self.shows(run, step)
        gone = math.inf if step.key in run.seen else self.since(run, step)
        reach = self.tool.traits.number("reach", 5.0)
        at = (
            rest
            if math.isinf(gone) or math.isnan(rest)
            else bubble_at(gone, -reach if rest > 0 else reach, rest, self.settles)
        )
        resting = gone >= self.settles or step.unit not in {"div", "words"}
        if step.unit not in {"div", "words"}:
            at = rest
        if run.procedure.key == "tube" and step.cycle and not math.isinf(gone):
            s = run.outcome.shown  # laid down just now, the water swings; each end the other way
            side = 1 if step.key.startswith("e1") else -1
            at = rest + side * water_at(gone, START, s["filled"], s["bore"], bool(s["basin"]))
            resting = gone >= s["wait"]
        slope = (
            (self.tool.hidden or {}).get("surface", 0.0) / self.tool.traits.division
            if not is_missing(self.tool.traits.division)
            else 0.0
        )
        return as_seen(
            step,
            at,
            slope,
            min(8.0, reach),
            width,
            height,
            settled=resting,
            mark=mark,
        )

    # A number that streams in, from the stand-in or from a real port through the same door

    def listen(self, run: CheckRun, step: Step) -> Stillness:
        """Take in what has been sent; return how it stands, the instrument put down for a step.

        Called by the window's clock and by the key that reads, never while a picture is painted.

        Raises
        ------
        KeelError
            `no-port`, `bad-pattern`: the port is let go of and opened anew at the next try.
        """
        try:
            self._heard = self._take_in(run, step)
        except KeelError as error:
            self.close()
            self.silent = error.message
            raise
        self.silent = ""
        return self._heard

    def _take_in(self, run: CheckRun, step: Step) -> Stillness:
        traits = self.tool.traits
        if self._door is None:
            self._open()
        if (run.id, step.key) not in self._put:
            self._door.poll()
            self._door.begin()
            if self._stream is not None:
                self._stream.put_down(self.shows(run, step))
        self.since(run, step)
        self._door.poll()
        found: Stillness = self._door.stillness(
            min(3.0, self.settles), traits.number("last-digit"), traits.number("noise")
        )
        return found

    def _open(self) -> None:
        from vivid_keel.exchange.number_door import NumberDoor

        traits = self.tool.traits
        port, pattern, sends = traits.text("port"), traits.text("pattern"), traits.text("sends")
        turned = traits.text("sign-side").strip().upper().startswith("B")
        if self.tool.hidden is not None:
            from vivid_keel.stands.streaming import StreamingLevel

            self._stream = StreamingLevel(
                0.3 * traits.number("noise"), traits.number("last-digit"), self.settles
            )
            port, pattern, sends, turned = self._stream.path, r"([+-]?\d+(?:\.\d+)?)", "mm/m", False
        self._door = NumberDoor(port, round(traits.number("baud", 9600)), pattern, sends, turned=turned)

    def close(self) -> None:
        """Switch off what streams."""
        for open_one in (self._door, self._stream):
            if open_one is not None:
                open_one.close()
        self._door = self._stream = None

    # Its adjusting screw

    def screw(self, run: CheckRun, width: float, height: float) -> Picture:
        """Return the second position with the bubble, or the line on the staff, that follows the screw."""
        shown = run.outcome.shown
        if run.procedure.key == "two-peg" or self.tool.traits.electronic:
            return self._line(run, width, height)
        target = shown.get("target", 0.0)
        here = self.stands_at(run)
        return screw(
            here,
            target,
            shown.get("slope", 0.0),
            min(8.0, self.tool.traits.number("reach", 5.0)),
            width,
            height,
        )

    def _line(self, run: CheckRun, width: float, height: float) -> Picture:
        from vivid_keel.figures.display import Drag
        from vivid_keel.figures.kit.shapes import rule_with_hand

        picture = Picture(width, height)
        shown = run.outcome.shown
        here = self.stands_at(run)
        target = shown.get("adjust_a", shown.get("target", 0.0))
        if run.procedure.key == "two-peg":
            picture.text(
                14,
                24,
                f"Stand-in, set-up 2, on A: turn its hair screw till it reads {target:.4f} m",
                "ink",
                15,
                bold=True,
            )
            rule_with_hand(picture, 50, height / 2 - 30, width - 140, here * 1000, "mm", 20.0, 0)
            one = (width - 140) / 0.020
        else:
            picture.text(
                14,
                24,
                f"Stand-in, second position: set it to {target * 1000:+.2f} mm/m",
                "ink",
                15,
                bold=True,
            )
            rule_with_hand(picture, 50, height / 2 - 30, width - 140, here * 1000, "mm/m", 2.0, 1)
            one = (width - 140) / 0.002
        picture.text(
            width / 2,
            height - 14,
            "drag the hand, or arrow keys left and right: each press is a little of the screw",
            "muted",
            13,
            align="centre",
        )
        picture.drag = Drag(
            width / 2, 1 / one, here, across=True, grip=width, span=(height / 2 - 60, height / 2 + 30)
        )
        picture.caption = "Adjusting screw"
        return picture

    def stands_at(self, run: CheckRun) -> float:
        """Return where the bubble (or the reading on A) stands now in the second position."""
        if self._turned is not None:
            return self._turned
        return self._rest(run)

    def _rest(self, run: CheckRun) -> float:
        h, t = self.tool.hidden or {}, self.tool.traits
        if run.procedure.key == "two-peg":
            return h["eye"] + 0.07 + h["collimation"] * value(run.seen, "d2a", 43.0)
        own, base = ("plumb", "wall") if run.procedure.key == "plumb" else ("level", "surface")
        return (h[base] - h[own]) / (1.0 if t.electronic else t.division)

    def turn(self, run: CheckRun, where: float) -> None:
        """Turn the screw until it stands there."""
        self._turned = where

    def turned(self, run: CheckRun) -> dict[str, float]:
        """Return the hidden errors as the screw has left them."""
        h, t, where = dict(self.tool.hidden or {}), self.tool.traits, self._turned
        self._turned = None
        if where is None:
            return h
        if run.procedure.key == "two-peg":
            h["collimation"] += (where - self._rest(run)) / value(run.seen, "d2a", 43.0)
        else:
            own, base = ("plumb", "wall") if run.procedure.key == "plumb" else ("level", "surface")
            h[own] = h[base] - where * (1.0 if t.electronic else t.division)
        return h
