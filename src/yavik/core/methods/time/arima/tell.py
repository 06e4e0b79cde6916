"""The sentence, tables and pictures of modelled series; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    after,
    counted,
    decimals_of,
    listing,
    number,
    p_words,
    say,
    share,
    span,
    spelled,
)
from yavik.core.figures.courses import bars_of_lags, over_time
from yavik.core.figures.fans import circle, fan
from yavik.core.figures.plots import block, quantiles
from yavik.core.methods.kit import touch
from yavik.core.methods.time.arima.coefficients import coefficients
from yavik.core.methods.time.arima.compute import Candidate, Modelled, votes
from yavik.core.stats.series.arima import Order

NAMES = {
    "significant": "significant coefficients", "sigma": "σ", "log_likelihood": "log-likelihood", "aic": "AIC",
    "aicc": "AICc", "bic": "BIC", "held": "the held-out end",
}  # fmt: skip
SEASONS_SHOWN = 5


def digits(m: Modelled) -> int:
    """Decimals of values foretold: as many as their error bears, one more than the series at most."""
    own = m.data.series.column.decimals
    y = m.data.series.values
    error = float(np.nanmin(np.abs(m.band(0.8)[1] - m.foretold))) if m.ahead is not None else float(y.std())
    return max(0, min(decimals_of(error / 10, float(np.abs(y).max())), (own if own is not None else 9) + 1))


def unit_of(m: Modelled) -> str | None:
    return m.data.series.column.unit


def title_of(m: Modelled) -> str:
    """The series with its unit, as an axis has it."""
    return f"{m.data.series.column.title} ({unit_of(m)})" if unit_of(m) else m.data.series.column.title


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
    if m.ahead is not None:
        low, high = m.band(0.95)
        d = digits(m)
        k = m.horizon - 1
        at = m.data.series.label(m.data.n + k)
        text += f" For {at} it foretells {number(float(m.foretold[k]), d)}{after(unit_of(m))}"
        text += f" (95% {span(float(low[k]), float(high[k]), lambda v: number(v, d))})."
    text += _against(m)
    return say(text), f"{name}, {counted(len(m.tried), 'candidate')}"


def _why(m: Modelled) -> str:
    mine = votes(m, m.chosen)
    by = m.spec.choose_by
    if by != "votes":
        return f"by {NAMES[by]}"
    if not mine:
        return "by AICc"
    return f"the best by {listing([NAMES[v] for v in mine], 7)}"


def _against(m: Modelled) -> str:
    """How the model does beside yardsticks on the held-out end."""
    mine = m.taken.held
    if not mine or not m.yardsticks:
        return ""
    one, error = min(m.yardsticks, key=lambda y: y[1].rmse)
    d = decimals_of(min(mine.rmse, error.rmse) / 10)
    end = f"the last {counted(m.held, 'point')}, held out"
    worse = mine.rmse >= error.rmse
    text = f" On {end}, it errs by {number(mine.rmse, d)}{after(unit_of(m))} (root mean square)"
    text += f", {one.name[0].lower()}{one.name[1:]} by {number(error.rmse, d)}"
    return text + (": it does not beat that simple yardstick there." if worse else ".")


def settings(m: Modelled) -> list[str]:
    """What was done, for the line under the sentence."""
    s, spec = m.data.series, m.spec
    made = [f"every {s.every}" if s.time else "in the order of rows", s.long]
    made.append(
        "exact maximum likelihood" if not len(s.bridged) else f"exact maximum likelihood, {len(s.bridged)} gaps left"
    )
    if spec.transform == "log":
        made.append("logarithms")
    if spec.transform == "box_cox":
        made.append(f"power {number(m.data.power, 1)}")
    if m.suggested:
        made.append(m.suggested)
    if m.held:
        made.append(f"{counted(m.held, 'point')} held out")
    return made


def blocks(m: Modelled) -> list[Any]:
    """Everything below the sentence but the write-up."""
    return [
        candidates(m), _fan(m), _forecasts(m), _yardsticks(m), coefficients(m), _roots(m), *_residuals(m), _lags(m),
    ]  # fmt: skip


def _spoken(m: Modelled, c: Candidate, key: str, made: q.Quantity) -> q.Quantity:
    """In bold where the criterion is best there, and there is something to compare."""
    alone = len(m.pool) < 2
    return made.bold if not alone and any(c is b for b in m.best.get(key, [])) else made


def candidates(m: Modelled) -> TableBlock:
    """Every candidate with every criterion."""
    rows, unit = [], unit_of(m) if m.data.power == 1.0 else None
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
        if m.held:
            none = q.gone(
                "it cannot be fitted to what comes before, or foretells what has no value", "Held-out error"
            )
            error = c.held and q.num(c.held.rmse, decimals_of(c.held.rmse / 30), "Held-out error", unit=unit_of(m))
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
            said.append(
                f"With fewer coefficients {listing(told)} {'is' if len(told) == 1 else 'are'} as good for most purposes."
            )
        said.append("σ and log-likelihood nearly always favour more coefficients, AICc and BIC charge for them.")
    if len({(c.order.d, c.order.D) for c in m.tried}) > 1:
        said.append(
            "Models of different differences have likelihoods of different data: only those of"
            f" {counted(m.pool[0].order.d, 'difference')} vote, the held-out error compares all."
        )
    if m.tried[0].order.D or m.tried[0].order.P or m.tried[0].order.Q:
        o = m.tried[0].order
        said.append(f"Each with the seasonal part ({o.P}, {o.D}, {o.Q}) of {o.m} points.")
    if m.held:
        said.append(
            f"Held-out error: root mean square over the last {counted(m.held, 'point')}, foretold from before."
        )
    said.append(
        f"Significant at {share(m.spec.alpha)}. σ² is the sum of squares over the points that the likelihood is of."
    )
    return " ".join(said)


def _fan(m: Modelled) -> FigureBlock | None:
    if m.ahead is None:
        return None
    s, n = m.data.series, m.data.n
    shown = min(n, max(SEASONS_SHOWN * m.data.season, 3 * m.horizon, 40, m.held + 10), 400)
    bridged = set(s.bridged.tolist())
    past = [(i - n + 1, s.labels[i], float(s.values[i])) for i in range(n - shown, n) if i not in bridged]
    later = [(k + 1, s.label(n + k), float(v)) for k, v in enumerate(m.foretold)]
    held = []
    if m.taken.held and m.held < shown:
        held = [(k - m.held + 1, float(v)) for k, v in enumerate(m.taken.held.said)]
    room = m.horizon + max(3, m.horizon // 3)
    drawn = fan(
        past, held, later, {level: m.band(level) for level in (0.95, 0.8)}, title_of(m),
        s.time.title if s.time else "Row", room,
    )  # fmt: skip
    made = block("forecast", "What follows", drawn)
    if m.data.names:
        return made
    return touch.handle(made, "horizon", "Foretold points", m.horizon, (1, room), decimals=0)


def _forecasts(m: Modelled) -> TableBlock | None:
    if m.ahead is None:
        return None
    unit, d = unit_of(m) or "", digits(m)
    bands = {level: m.band(level) for level in (0.8, 0.95)}
    rows = []
    for k in range(m.horizon):
        cells = q.row(
            time=q.name(m.data.series.label(m.data.n + k), m.data.series.time.title if m.data.series.time else "Row"),
            forecast=q.num(float(m.foretold[k]), d, "Foretold", unit=unit, why=BEYOND),
        )
        for level, (low, high) in bands.items():
            key = f"{level * 100:.0f}"
            cells[f"low_{key}"] = q.num(float(low[k]), d, f"{key}% from", why=BEYOND)
            cells[f"high_{key}"] = q.num(float(high[k]), d, f"{key}% to", why=BEYOND)
        if m.data.power == 1.0:
            cells["se"] = q.num(float(m.ahead.se[k]), d + 1, "SE, parameters known")
            cells["se_full"] = q.num(float(m.ahead.se_full[k]), d + 1, "SE in all")
        rows.append(cells)
    note = (
        "Bands hold the error of the parameters too, to first order; that the model is right they take for granted."
    )
    if m.data.power != 1.0:
        note += " Values on the original scale are medians: means of a skewed scale lie higher."
    return q.table("forecasts", "Forecasts", rows, note=note, folded=m.horizon > 12)


BEYOND = "the transformation has no way back from there"


def _yardsticks(m: Modelled) -> TableBlock | None:
    if not m.held or not m.yardsticks:
        return None
    unit = unit_of(m) or ""
    mine = [(f"ARIMA{m.taken.order}", m.taken.held)] if m.taken.held else []
    every = [*mine, *((one.name, error) for one, error in m.yardsticks)]
    least = min(e.rmse for _, e in every)
    d = decimals_of(least / 30)
    rows = []
    for name, e in every:
        cells = q.row(
            way=q.name(name, "Foretold by"),
            mae=q.num(e.mae, d, "Mean absolute error", unit=unit),
            rmse=q.num(e.rmse, d, "Root mean square error", unit=unit),
            ratio=q.num(e.rmse / least, 2, "Of the least")
            if least > 0
            else q.gone("no error at all", "Of the least"),
        )
        rows.append(cells)
    first = m.data.series.labels[m.data.n - m.held]
    note = (
        f"All are fitted to what comes before {first} and foretell {counted(m.held, 'point')} at once. One end of one"
    )
    note += " series is one trial: small differences say little."
    return q.table("yardsticks", "On the held-out end", rows, note=note, strong=[])


def _roots(m: Modelled) -> FigureBlock | None:
    assert m.taken.fit
    ar, ma = m.taken.fit.roots
    sides = [(n, r) for n, r in (("autoregression", ar), ("moving average", ma)) if len(r)]
    return block("roots", "Inverse roots", circle(sides), small=True) if sides else None


def _residuals(m: Modelled) -> list[Any]:
    c = m.taken
    e = c.residuals
    labels = m.data.series.labels[m.data.n - len(e) :]
    time = m.data.series.time.title if m.data.series.time else "Row"
    made: list[Any] = [
        block(
            "residuals", "Residuals", over_time(labels, [("r", e)], "Residual", x_title=time, width=520, height=130)
        )
    ]
    if c.left is not None:
        made.append(
            block("residual_acf", "Their autocorrelations", bars_of_lags(c.left.acf, c.left.band, "Autocorrelation"),
                  small=True)
        )  # fmt: skip
    there = np.sort(e[np.isfinite(e)])
    if len(there) > 3 and np.ptp(there) > 0:
        made.append(block("residual_normal", "Against the normal distribution", _quantiles(m, there), small=True))
    return made


def _quantiles(m: Modelled, there: Any) -> Any:
    theory = m.theory(len(there))
    rows = np.zeros(len(there), np.int64)
    return quantiles(theory, there, rows, "Normal quantile", "Residual")


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
        text += f", chosen of {counted(len(m.tried), 'candidate')} by {CHOSEN[m.spec.choose_by].format(spelled(len(m.best)))}"
    text += f" (log-likelihood {number(f.log_likelihood, 2)}, AICc {number(f.aicc, 2)}, σ {number(f.sigma, decimals_of(f.sigma / 100))})."
    _, p, df = c.ljung_box
    if np.isfinite(p):
        text += f" Ljung–Box of the residuals over {len(c.left.q) if c.left else 0} lags: Q({df}) ="
        text += f" {number(c.ljung_box[0], 2)}, p {p_words(p)}."
    if m.taken.held and m.yardsticks:
        one, error = min(m.yardsticks, key=lambda y: y[1].rmse)
        d = decimals_of(m.taken.held.rmse / 30)
        text += f" On the last {counted(m.held, 'point')}, held out, root mean square error was"
        text += f" {number(m.taken.held.rmse, d)}{after(unit_of(m))} ({one.name[0].lower()}{one.name[1:]}:"
        text += f" {number(error.rmse, d)})."
    return text


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
        "ljung_box.df": df, "held_out": m.held, "candidates": " ".join(x.key for x in m.tried),
        "seasonal": _seasonal(c.order), "season": m.data.season, "power": m.data.power,
    }  # fmt: skip
    b, se, ps = c.tests
    for key, value, error, one in zip(m.names, b, se, ps, strict=True):
        out |= {f"{key}.estimate": value, f"{key}.se": error, f"{key}.p": one}
    if c.held:
        out |= {"held.rmse": c.held.rmse, "held.mae": c.held.mae}
    for one_way, error in m.yardsticks:
        out |= {f"yardstick.{one_way.key}.rmse": error.rmse, f"yardstick.{one_way.key}.mae": error.mae}
    if m.ahead is not None:
        for k in range(min(m.horizon, 60)):
            out |= {
                f"forecast_{k + 1}": m.foretold[k], f"forecast_{k + 1}.se": m.ahead.se[k],
                f"forecast_{k + 1}.low": m.band(0.95)[0][k], f"forecast_{k + 1}.high": m.band(0.95)[1][k],
            }  # fmt: skip
    return out
