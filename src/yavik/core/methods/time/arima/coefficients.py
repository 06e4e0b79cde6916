"""The coefficients of a model in a table, and what each says."""

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after, counted, decimals_of, level_words, number, share
from yavik.core.methods.time.arima.compute import Modelled

BORDER = "it lies on the border of what can be told apart: no standard error"
FLAT = "the likelihood is flat around it: no standard error"


def coefficients(m: Modelled) -> TableBlock | None:
    """Estimates with their errors and a sentence each."""
    c = m.taken
    f = c.fit
    assert f
    b, se, p = c.tests
    if not len(b):
        return None
    why = BORDER if f.on_border.any() else FLAT
    reach = m.reach
    rows = []
    for i, key in enumerate(m.names):
        outside = i >= f.order.parameters
        d = decimals_of(float(se[i])) if outside and np.isfinite(se[i]) else 3
        ends = (b[i] - reach * se[i], b[i] + reach * se[i])
        unit = (m.data.series.column.unit or "") if outside and m.data.power == 1.0 else ""
        rows.append(
            q.row(
                name=q.name(_title(key), "Coefficient"),
                estimate=q.est(float(b[i]), d, "Estimate"),
                se=q.num(float(se[i]), d + (1 if outside else 0), "SE", why=why),
                z=q.num(float(b[i] / se[i]) if se[i] > 0 else np.nan, 2, "z", role="statistic", why=why),
                p=q.p(float(p[i]), "p", why),
                **q.ends(
                    float(ends[0]),
                    float(ends[1]),
                    lambda v, d=d: number(v, d),
                    f"{level_words(m.spec.alpha)} CI",
                    why,
                ),
                said=q.said(_sentence(m, key, float(b[i]), d, unit), "In words"),
            )
        )
    note = "By the Hessian of the log-likelihood; errors by outer products of its slopes would differ, by a third at"
    note += (
        " times. Moving averages have plus signs. Single coefficients are rarely worth reading: they act together."
    )
    if f.other is not None:
        note += f" The likelihood has another maximum, {number(f.log_likelihood - f.other, 2)} lower."
    return q.table("coefficients", f"Coefficients of ARIMA{f.order}", rows, note=note)


def _title(key: str) -> str:
    kind, _, lag = key.partition("_")
    names = {"ar": "AR", "ma": "MA", "sar": "Seasonal AR", "sma": "Seasonal MA"}
    if kind in names and lag.isdigit():
        return f"{names[kind]} {lag}"
    return {"drift": "Drift", "mean": "Mean"}.get(key, key)


def _sentence(m: Modelled, key: str, b: float, d: int, unit: str) -> str:
    """What the coefficient says by itself."""
    o = m.taken.order
    every = m.data.series.every if m.data.series.time and not m.data.series.every[0].isdigit() else "step"
    kind, _, lag = key.partition("_")
    season = "change over a season" if o.D else "change"
    what = season if o.d or o.D else "distance from the mean" if m.taken.fit and m.taken.fit.kept else "value"
    if kind in ("ar", "sar", "ma", "sma") and lag.isdigit():
        back = int(lag) * (o.m if kind[0] == "s" else 1)
        ago = f"the {every} before" if back == 1 else f"{counted(back, every)} before"
        if kind in ("ar", "sar"):
            turns = " turned round" if b < 0 else ""
            return f"{share(abs(b))} of the {what} {ago} carries over{turns}"
        return f"{share(abs(b))} of the shock {ago} {'comes again' if b > 0 else 'is taken back'}"
    scale = "" if m.data.power == 1.0 else " on the transformed scale"
    if key == "drift":
        way = "rises" if b > 0 else "falls"
        return f"{way} by {number(abs(b), d)}{after(unit)} a {every} on average{scale}"
    if key == "mean":
        return f"comes back to {number(b, d)}{after(unit)}{scale}"
    more = "more" if b > 0 else "less"
    return f"one more goes with {number(abs(b), d)}{after(unit)} {more} at the same time{scale}"
