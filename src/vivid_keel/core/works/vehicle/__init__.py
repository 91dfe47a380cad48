"""Vehicles and trailers brought level on their wheels: which wheel, which step, the nose, which way to stand."""

from vivid_keel.core.works.vehicle.book import SORTS, TRAITS, VehicleBook, fold_vehicle, parse_fact
from vivid_keel.core.works.vehicle.result import VehicleResult, vehicle_findings, vehicle_state, work_out_vehicle

__all__ = [
    "SORTS", "TRAITS", "VehicleBook", "VehicleResult", "fold_vehicle", "parse_fact", "vehicle_findings", "vehicle_state", "work_out_vehicle",
]  # fmt: skip
