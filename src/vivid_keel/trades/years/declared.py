"""Heights over the years: levellings of several occasions laid on the benchmarks that stood."""

from vivid_keel.trades.trade import Trade
from vivid_keel.trades.years.book import FACTS, YearsBook, fold_years, take_levellings, years_needs
from vivid_keel.trades.years.entries import KINDS
from vivid_keel.trades.years.findings import years_findings, years_state
from vivid_keel.trades.years.problems import years
from vivid_keel.trades.years.result import YearsResult, work_out_years

TRADE: Trade[YearsBook, YearsResult] = Trade(
    key="over-the-years",
    label="Over the years",
    blurb="the same marks levelled again: what moved since, how fast, and which benchmark stood",
    kinds=KINDS,
    fold=fold_years,
    needs=years_needs,
    take=take_levellings,
    work_out=work_out_years,
    state=years_state,
    findings=years_findings,
    problems={"years": years},
    module=__name__.rpartition(".")[0],
    facts=FACTS,
)
