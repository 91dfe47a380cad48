"""Two rails on sleepers: how many cans of chips go under which, by sights at rest and by what hollows show under load."""

from vivid_keel.trades.track.book import FACTS, TrackBook, fold_track
from vivid_keel.trades.track.entries import KINDS
from vivid_keel.trades.track.findings import track_cautions, track_findings, track_state
from vivid_keel.trades.track.problems import PROBLEMS
from vivid_keel.trades.track.result import TrackResult, work_out_track
from vivid_keel.trades.trade import Trade

TRADE: Trade[TrackBook, TrackResult] = Trade(
    key="rails",
    label="Track",
    blurb="two rails on sleepers: cans of chips under each, at rest and under load",
    kinds=KINDS,
    fold=fold_track,
    work_out=work_out_track,
    state=track_state,
    findings=track_findings,
    cautions=track_cautions,
    module=__name__.rpartition(".")[0],
    facts=FACTS,
    problems=PROBLEMS,
    copies=("track-fact",),
)
