"""The sentence, tables and pictures of modelled series; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    counted,
    decimals_of,
    listing,
    number,
    p_words,
    say,
    share,
    spelled,
)
from yavik.core.figures.fans import circle
from yavik.core.figures.plots import block
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.leftover import residual_blocks
from yavik.core.methods.kit.outlook import (
    fan_block,
    forecast_table,
    foretells,
    held_facts,
    held_words,
    rhythm,
    yardstick_table,
)  # fmt: skip
from yavik.core.methods.time.arima.coefficients import coefficients
from yavik.core.methods.time.arima.compute import Candidate, Modelled, votes
from yavik.core.stats.series.arima import Order

NAMES = {
    "significant": "significant coefficients", "sigma": "σ", "log_likelihood": "log-likelihood", "aic": "AIC",
    "aicc": "AICc", "bic": "BIC", "held": "the held-out end",
}  # fmt: skip


def headline(m: Modelled) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    c = m.taken
    standing = [x for x in m.tried if x.fit]
    name = f"ARIMA{c.order}"
    if c is not m.chosen:
        text = f"{name} is looked at; {m.chosen.key} would be taken of {counted(len(m.tried), 'candidate')}."
    elif len(standing) == 1:
        text = f"{m.data.series.column.title} is modelled by {name}."
    else:
        text = f"{name} is taken of {counted(len(m.tried), 'candidate')}, {_why(m)}."
    text += foretells(m.outlook)
    return say(text), f"{name}, {counted(len(m.tried), 'candidate')}"


def _why(m: Modelled) -> str:
    mine = votes(m, m.chosen)
    by = m.spec.choose_by
    if by != "votes":
        return f"by {NAMES[by]}"
    if not mine:
        return "by AICc"
    return f"the best by {listing([NAMES[v] for v in mine], 7)}"


def settings(m: Modelled) -> list[str]:
    """What was done, for the line under the sentence."""
    s, spec = m.data.series, m.spec
    made = [rhythm(s, spec.doubled), s.long]
    made.append(
        "exact maximum likelihood" if not len(s.bridged) else f"exact maximum likelihood, {len(s.bridged)} gaps left"
    )
    if spec.transform == "log":
        made.append("logarithms")
    if spec.transform == "box_cox":
        made.append(f"power {number(m.data.power, 1)}")
    if m.suggested:
        made.append(m.suggested)
    if m.outlook.held:
        made.append(f"{counted(m.outlook.held, 'point')} held out")
    return made


def blocks(m: Modelled) -> list[Any]:
    """Everything below the sentence but the write-up."""
    return [
        candidates(m), fan_block(m.outlook, not m.data.names), forecast_table(m.outlook, _bands(m)),
        yardstick_table(m.outlook), coefficients(m), _roots(m),
        *residual_blocks(m.data.series, m.taken.residuals, m.taken.left), _lags(m),
    ]  # fmt: skip


def _spoken(m: Modelled, c: Candidate, key: str, made: q.Quantity) -> q.Quantity:
    """In bold where the criterion is best there, and there is something to compare."""
    alone = len(m.pool) < 2
    return made.bold if not alone and any(c is b for b in m.best.get(key, [])) else made


def candidates(m: Modelled) -> TableBlock:
    """Every candidate with every criterion."""
    rows, unit = [], m.data.series.column.unit if m.data.power == 1.0 else None
    standing = [c.fit for c in m.tried if c.fit]
    spread = max(abs(f.sigma) for f in standing)
    d_sigma = decimals_of(spread / 300)
    for c in m.tried:
        heads = q.row(order=q.name(c.key, "Order (p, d, q)"))
        if c.fit is None:
            gone = {
                k: q.gone(c.why, t, "value")
                for k, t in (
                    ("significant", "Significant"), ("sigma", "σ"), ("log_likelihood", "Log-likelihood"),
                    ("aic", "AIC"), ("aicc", "AICc"), ("bic", "BIC"), ("root", "Outermost root"),
                    ("ljung_box_p", "Ljung–Box p"),
                )
            }  # fmt: skip
            rows.append(heads | gone)
            continue
        f = c.fit
        one, of = c.significant
        cells = q.row(
            significant=q.texted(one / of if of else 0.0, f"{one} of {of}", "Significant"),
            sigma=q.num(f.sigma, d_sigma, "σ", unit=unit),
            log_likelihood=q.num(f.log_likelihood, 2, "Log-likelihood"),
            aic=q.num(f.aic, 2, "AIC"),
            aicc=q.num(f.aicc, 2, "AICc") if np.isfinite(f.aicc) else q.gone("too few points", "AICc"),
            bic=q.num(f.bic, 2, "BIC"),
        )
        cells = {k: _spoken(m, c, k, v) for k, v in cells.items()}
        cells |= q.row(root=_outermost(c), ljung_box_p=q.p(c.ljung_box[1], "Ljung–Box p", "no df left"))
        if m.outlook.held:
            none = q.gone(
                "it cannot be fitted to what comes before, or foretells what has no value", "Held-out error"
            )
            error = c.held and q.num(
                c.held.rmse, decimals_of(c.held.rmse / 30), "Held-out error", unit=m.data.series.column.unit
            )
            cells["held"] = _spoken(m, c, "held", error) if error else none
        cells["votes"] = q.count(len(votes(m, c)), "Best by") if c in m.pool else q.gone(OTHER, "Best by", "count")
        cells |= q.row(parameters=q.count(f.counted, None))
        rows.append(heads | cells)
    made = q.table(
        "candidates", "Candidates", rows, note=_note(m), strong=[],
        marked=[i for i, c in enumerate(m.tried) if c is m.taken],
    )  # fmt: skip
    return touch.choose(made, "main", "order", "Look at this model")


OTHER = "its likelihood is of other differences: it is compared by the held-out end alone"


def _outermost(c: Candidate) -> q.Quantity:
    ar, ma = c.largest_roots
    if not (ar or ma):
        return q.blank("Outermost root")
    return q.fine(max(ar, ma), "Outermost root")


def _note(m: Modelled) -> str:
    """How the criteria vote, what is as good, and what they are."""
    said = []
    if len(m.pool) > 1:
        winners: dict[str, list[str]] = {}
        for name, best in m.best.items():
            for c in best:
                winners.setdefault(c.key, []).append(NAMES[name])
        order = sorted(winners.items(), key=lambda kv: -len(kv[1]))
        said.append("; ".join(f"{key} is best by {listing(names, 7)}" for key, names in order) + ".")
        near = m.simpler
        f = m.chosen.fit
        if near and f:
            told = [f"{c.key} (AICc {number(c.fit.aicc - f.aicc, 1)} off)" for c in near if c.fit]
            are = "is" if len(told) == 1 else "are"
            said.append(f"With fewer coefficients {listing(told)} {are} as good for most purposes.")
        said.append("σ and log-likelihood nearly always favour more coefficients, AICc and BIC charge for them.")
    if len({(c.order.d, c.order.D) for c in m.tried}) > 1:
        said.append(
            "Models of different differences have likelihoods of different data: only those of"
            f" {counted(m.pool[0].order.d, 'difference')} vote, the held-out error compares all."
        )
    if m.tried[0].order.D or m.tried[0].order.P or m.tried[0].order.Q:
        o = m.tried[0].order
        said.append(f"Each with the seasonal part ({o.P}, {o.D}, {o.Q}) of {o.m} points.")
    if m.outlook.held:
        said.append(
            f"Held-out error: root mean square over the last {counted(m.outlook.held, 'point')}, foretold from before."
        )
    said.append(
        f"Significant at {share(m.spec.alpha)}. σ² is the sum of squares over the points that the likelihood is of."
    )
    return " ".join(said)


def _bands(m: Modelled) -> str:
    note = (
        "Bands hold the error of the parameters too, to first order; that the model is right they take for granted."
    )
    if m.data.power != 1.0:
        note += " Values on the original scale are medians: means of a skewed scale lie higher."
    return note


def _roots(m: Modelled) -> FigureBlock | None:
    assert m.taken.fit
    ar, ma = m.taken.fit.roots
    sides = [(n, r) for n, r in (("autoregression", ar), ("moving average", ma)) if len(r)]
    return block("roots", "Inverse roots", circle(sides), small=True) if sides else None


def _lags(m: Modelled) -> TableBlock | None:
    c = m.taken.left
    if c is None:
        return None
    gone = m.taken.order.parameters
    why = f"no df left: {counted(gone, 'coefficient')} taken off"
    rows = [
        q.row(
            lag=q.count(k + 1, "Lag"), acf=q.fine(float(c.acf[k]), "Autocorrelation"),
            q=q.num(float(c.q[k]), 2, "Ljung–Box Q", role="statistic"),
            df=q.df(float(k + 1 - gone), "df") if k + 1 > gone else q.gone(why, "df"),
            p=q.p(float(c.p[k]), "p", why),
        )
        for k in range(len(c.acf))
    ]  # fmt: skip
    note = f"df are lags less {counted(gone, 'coefficient')} of the factors; drift and regressors cost none."
    return q.table("ljung_box", "What is left in the residuals", rows, note=note, folded=True)


def reported(m: Modelled) -> str:
    """Methods and results as a paper tells them."""
    c, s = m.taken, m.data.series
    f = c.fit
    assert f
    text = f"{s.column.title} ({s.long}, {s.labels[0]} to {s.labels[-1]}) was modelled by ARIMA{c.order}"
    if f.given.names[:1] == ("drift",):
        text += " with drift"
    if m.data.names:
        text += f" and {listing(list(m.data.names))} as regressors"
    if m.spec.transform != "none":
        text += f" of its {'logarithms' if m.spec.transform == 'log' else f'power {number(m.data.power, 1)}'}"
    text += ", by exact maximum likelihood"
    if len(m.tried) > 1:
        by = CHOSEN[m.spec.choose_by].format(spelled(len(m.best)))
        text += f", chosen of {counted(len(m.tried), 'candidate')} by {by}"
    sigma = number(f.sigma, decimals_of(f.sigma / 100))
    text += f" (log-likelihood {number(f.log_likelihood, 2)}, AICc {number(f.aicc, 2)}, σ {sigma})."
    _, p, df = c.ljung_box
    if np.isfinite(p):
        text += f" Ljung–Box of the residuals over {len(c.left.q) if c.left else 0} lags: Q({df}) ="
        text += f" {number(c.ljung_box[0], 2)}, p {p_words(p)}."
    return text + held_words(m.outlook)


CHOSEN = {
    "votes": "the most of {} criteria", "aicc": "AICc", "aic": "AIC", "bic": "BIC",
    "log_likelihood": "log-likelihood", "sigma": "σ", "significant": "the share of significant coefficients",
}  # fmt: skip


def _seasonal(o: Order) -> str:
    return f"({o.P}, {o.D}, {o.Q}, {o.m})" if o.m > 1 else ""


def facts(m: Modelled) -> dict[str, Any]:
    """Numbers by name."""
    c = m.taken
    f = c.fit
    assert f
    stat, p, df = c.ljung_box
    out: dict[str, Any] = {
        "n": f.n, "order": c.key, "sigma": f.sigma, "sigma2": f.sigma**2, "log_likelihood": f.log_likelihood,
        "aic": f.aic, "aicc": f.aicc, "bic": f.bic, "parameters": f.counted, "ljung_box.q": stat, "ljung_box.p": p,
        "ljung_box.df": df, "candidates": " ".join(x.key for x in m.tried),
        "seasonal": _seasonal(c.order), "season": m.data.season, "power": m.data.power,
    }  # fmt: skip
    b, se, ps = c.tests
    for key, value, error, one in zip(m.names, b, se, ps, strict=True):
        out |= {f"{key}.estimate": value, f"{key}.se": error, f"{key}.p": one}
    return out | held_facts(m.outlook)
