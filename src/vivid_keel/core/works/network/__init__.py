"""A network: the job's runs adjusted together."""

from vivid_keel.core.works.network.book import NetworkBook, NetworkLine, Weights, weigh
from vivid_keel.core.works.network.result import Leg, NetworkResult, network_findings, network_state, work_out_network

__all__ = [
    "Leg",
    "NetworkBook",
    "NetworkLine",
    "NetworkResult",
    "Weights",
    "network_findings",
    "network_state",
    "weigh",
    "work_out_network",
]
