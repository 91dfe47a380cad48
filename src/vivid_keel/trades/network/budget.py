"""The error budget of a network: what its weakest mark owes to each run and each benchmark."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.trades.network.result import NetworkResult


def network_budget(result: NetworkResult) -> tuple[str, Budget]:
    """Return the least certain mark and what its standard uncertainty comes from [m]; ("", empty) without one.

    With N·x = e for the mark, line l moves it by (x_to − x_from)/σ_l of its own σ_l, a weighted
    benchmark by x/u: their squares sum to u² of the mark.
    """
    net = result.net
    marks = [i for i in result.marks if net is not None and net.u[i] > 0]
    if net is None or not marks:
        return "", Budget(())
    from scipy.sparse import coo_matrix
    from scipy.sparse.linalg import spsolve

    worst = max(marks, key=lambda i: float(net.u[i]))
    unknown = np.flatnonzero(net.u > 0)
    column = np.full(len(net.names), -1)
    column[unknown] = np.arange(len(unknown))
    a, b = column[net.ends[:, 0]], column[net.ends[:, 1]]
    at = np.arange(len(net.sigma))
    n = len(unknown)
    design = coo_matrix(
        (
            np.concatenate([-1 / net.sigma[a >= 0], 1 / net.sigma[b >= 0]]),
            (np.concatenate([at[a >= 0], at[b >= 0]]), np.concatenate([a[a >= 0], b[b >= 0]])),
        ),
        shape=(len(at), n),
    ).tocsc()
    weighted = [
        (name, column[net.names.index(name)], u)
        for name, (_, u) in result.book.known.items()
        if u > 0 and name in net.names
    ]
    extra = np.zeros(n)
    for _, k, u in weighted:
        extra[k] += 1 / u**2
    normal = (design.T @ design).tolil()
    normal.setdiag(normal.diagonal() + extra)
    unit = np.zeros(n)
    unit[column[worst]] = 1.0
    x = np.atleast_1d(spsolve(normal.tocsc(), unit))
    own = (design @ x) ** 2
    run_of = np.array([result.book.lines[k].run for k in result.lines])
    lines = [
        BudgetLine(
            f"readings of {name}",
            float(np.sqrt(own[run_of == run].sum())),
            "shorter sights there, or level it a second time",
        )
        for run, name in result.book.runs.items()
        if (run_of == run).any()
    ]
    lines += [
        BudgetLine(f"height of {name}", float(abs(x[k] / u)), "a better benchmark, or a second one")
        for name, k, u in weighted
    ]
    return net.names[worst], Budget(tuple(line for line in lines if line.u > 0))
