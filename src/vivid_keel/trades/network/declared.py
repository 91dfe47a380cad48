"""A network: the job's runs adjusted together."""

from vivid_keel.trades.network.book import NetworkBook, fold_network, network_needs, take_runs
from vivid_keel.trades.network.entries import KINDS
from vivid_keel.trades.network.problems import network
from vivid_keel.trades.network.result import Adjusted, network_findings, network_state
from vivid_keel.trades.trade import Trade

TRADE: Trade[NetworkBook, Adjusted] = Trade(
    key="network",
    label="Network",
    blurb="the job's runs adjusted together, every mark with its uncertainty",
    kinds=KINDS,
    fold=fold_network,
    needs=network_needs,
    take=take_runs,
    work_out=Adjusted,
    state=network_state,
    findings=network_findings,
    problems={"network": network},
    module=__name__.rpartition(".")[0],
)
