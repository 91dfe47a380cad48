"""Vehicles and trailers brought level on their wheels: which wheel, which step, the nose, which way to stand."""

from vivid_keel.trades.trade import Trade
from vivid_keel.trades.vehicle.book import FACTS, VehicleBook, fold_vehicle
from vivid_keel.trades.vehicle.entries import KINDS
from vivid_keel.trades.vehicle.problems import trailer_levelled
from vivid_keel.trades.vehicle.result import (
    VehicleResult,
    vehicle_cautions,
    vehicle_findings,
    vehicle_state,
    work_out_vehicle,
)

TRADE: Trade[VehicleBook, VehicleResult] = Trade(
    key="vehicle",
    label="Vehicle",
    blurb="a trailer or van on its wheels: which wheel, which step, the nose",
    kinds=KINDS,
    fold=fold_vehicle,
    work_out=work_out_vehicle,
    state=vehicle_state,
    findings=vehicle_findings,
    cautions=vehicle_cautions,
    problems={"trailer": trailer_levelled},
    facts=FACTS,
    module=__name__.rpartition(".")[0],
    copies=("vehicle", "live-fact"),
)
