"""Tables, pictures, sentences and checks of a series; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    after,
    counted,
    decimals_of,
    listing,
    number,
    p_words,
    percent,
    say,
    share,
)
from yavik.core.figures.caption import lower
from yavik.core.figures.courses import bars_of_lags, over_time
from yavik.core.figures.plots import block
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.outlook import rhythm, time_of, title_of
from yavik.core.methods.time.series.compute import Looked, Tested
from yavik.core.stats.series.unit_roots import UnitRoot

FINDS = {
    "stands": "stands still", "drifts": "drifts: take differences",
    "both": "contradict: perhaps a trend, a break or long memory",
    "neither": "too little to tell", "unknown": "cannot be told",
}  # fmt: skip


def looked_at(s: Looked) -> Tested | None:
    return next(
        (t for t in s.tested if (t.difference, t.seasonal) == (s.spec.difference, s.spec.seasonal_difference)), None
    )


def headline(s: Looked) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    unit = s.series.column.unit
    y, p = s.series.values, s.parts
    d = min(
        decimals_of(float(y.std(ddof=1)) / np.sqrt(s.series.n), float(np.abs(y).max())), s.series.column.decimals or 0
    )
    first, last = s.series.labels[0], s.series.labels[-1]
    text = f"{s.series.column.title} runs over {s.series.long}, {first} to {last}, between"
    text += f" {number(float(y.min()), d)} and"
    text += f" {number(float(y.max()), d)}{after(unit)}."
    found = s.tested[0].finds(s.spec.alpha)
    kinds = []
    if p.trend_strength > 0.3:
        kinds.append(f"a trend (strength {share(p.trend_strength)})")
    if np.isfinite(p.season_strength) and p.season_strength > 0.3:
        kinds.append(f"a season of {s.season} (strength {share(p.season_strength)})")
    text += f" It has {listing(kinds)}." if kinds else ""
    text += {
        "stands": " ADF speaks against a unit root, and nothing against its standing still.",
        "drifts": " KPSS speaks against its standing still, and ADF finds nothing against a unit root.",
        "both": " Tests contradict one another on whether it stands still.",
        "neither": " There is too little to tell whether it stands still.",
    }.get(found, "")
    short = {
        "stands": "stands still",
        "drifts": "drifts",
        "both": "tests contradict",
        "neither": "too little to tell",
    }.get(found, "looked at")
    return say(text), f"{short}, {s.series.long}"


def settings(s: Looked) -> list[str]:
    """What was done, for the line under the sentence."""
    made = [
        rhythm(s.series, s.spec.doubled),
        f"season of {s.season}" if s.season > 1 else "no season",
    ]
    if s.spec.transform == "log":
        made.append("logarithms")
    if s.spec.transform == "box_cox":
        made.append(f"power {number(s.power, 1)}")
    if s.spec.difference:
        made.append(counted(s.spec.difference, "difference"))
    if s.spec.seasonal_difference:
        made.append("seasonal difference")
    return made


def blocks(s: Looked) -> list[Any]:
    """Everything below the sentence."""
    return [_line(s), *_correlograms(s), _roots(s), *_parts(s), _orders(s), _lags(s), _write_up(s)]


def _line(s: Looked) -> FigureBlock:
    drawn = over_time(
        s.series.labels,
        [("series", s.series.values)],
        title_of(s.series),
        x_title=time_of(s.series),
        width=520,
        faint=s.series.bridged,
    )
    return block("figure", "The series", drawn)


def _differenced(s: Looked) -> str:
    if s.spec.difference or s.spec.seasonal_difference:
        return " of the differences"
    return ""


def _correlograms(s: Looked) -> list[Any]:
    c = s.correlogram
    if c is None:
        return []
    acf = bars_of_lags(c.acf, c.band, "Autocorrelation")
    pacf = bars_of_lags(c.pacf, np.full(len(c.pacf), c.partial_band), "Partial autocorrelation")
    made = []
    if s.spec.difference or s.spec.seasonal_difference:
        labels = s.series.labels[len(s.series.labels) - len(s.w) :]
        made.append(
            block(
                "differences",
                "Its differences",
                over_time(labels, [("series", s.w)], "Difference", x_title=time_of(s.series), width=520),
            )
        )
    made += [
        block("acf", f"Autocorrelations{_differenced(s)}", acf, small=True),
        block("pacf", f"Partial ones{_differenced(s)}", pacf, small=True),
    ]
    return made


def _parts(s: Looked) -> list[Any]:
    p = s.parts
    made = [
        block(
            "trend",
            "Trend",
            over_time(
                s.series.labels, [("series", p.trend)], "Trend", x_title=time_of(s.series), width=250, height=120
            ),
            small=True,
        )
    ]
    if np.isfinite(p.season_strength):
        made.append(
            block(
                "season",
                "Season",
                over_time(
                    s.series.labels,
                    [("series", p.season)],
                    "Season",
                    x_title=time_of(s.series),
                    width=250,
                    height=120,
                ),
                small=True,
            )
        )
    made.append(
        block(
            "rest",
            "Rest",
            over_time(
                s.series.labels, [("series", p.rest)], "Rest", x_title=time_of(s.series), width=250, height=120
            ),
            small=True,
        )
    )
    return made


def _roots(s: Looked) -> TableBlock:
    rows = []
    for t in s.tested:
        for key, test in t.tests.items():
            name, kind = key.split(", ", 1)
            root = name in ("ADF", "PP")
            if isinstance(test, str):
                cells = q.row(
                    statistic=q.gone(test, "Statistic", "statistic"),
                    lags=q.gone(test, "Lags", "count"),
                    p=q.gone(test, "p", "p"),
                )
                said = "cannot be computed"
            else:
                told = {"below": "< .01", "above": "> .10"}.get(test.bounded)
                p = q.texted(test.p, told, "p", "p") if told else q.p(test.p)
                cells = q.row(
                    statistic=q.num(test.statistic, 3, "Statistic", role="statistic"),
                    lags=q.count(test.lags, "Lags"),
                    p=p,
                )
                small = test.p < s.spec.alpha or test.bounded == "below"
                if root:
                    said = "against a unit root" if small else "no evidence against a unit root"
                else:
                    said = (
                        f"against standing still about a {'trend' if 'trend' in kind else 'level'}"
                        if small
                        else "no evidence that it moves"
                    )
            rows.append(
                q.row(of=q.name(t.name, "Of"), test=q.said(name, "Test"), about=q.said(kind, "About"))
                | cells
                | q.row(said=q.said(said, "Says"))
            )
    note = "ADF and PP claim a unit root, KPSS claims that the series stands still: small p speak against the claim."
    note += " p of ADF and PP by MacKinnon’s response"
    note += " surface (1994), of KPSS between .01 and .10 from the published table. Lags of ADF by AIC, of PP 12"
    note += " (n/100)^¼, of KPSS by the series."
    return q.table("unit_roots", "Does it stand still", rows, note=note, strong=[])


def _orders(s: Looked) -> TableBlock | None:
    c = s.correlogram
    if c is None:
        return None
    p, k = s.cuts
    rows = []
    for order in s.orders:
        why = []
        if order[0] and order[2] == 0:
            why.append(f"partial correlations stand out up to lag {order[0]}")
        elif order[2] and order[0] == 0:
            why.append(f"correlations stand out up to lag {order[2]}")
        elif order[0] == 0 == order[2]:
            why.append("nothing stands out at the first lags")
        else:
            why.append("both may fall off slowly")
        rows.append(
            q.row(order=q.name(f"({order[0]}, {order[1]}, {order[2]})", "Order (p, d, q)"), why=q.said(why[0], "Why"))
        )
    note = f"Read off the first lags only: partial correlations stand out up to lag {p}, plain ones up to {k}."
    if s.season > 1 and s.season <= len(c.acf):
        far = float(c.acf[s.season - 1])
        out = abs(far) > float(c.band[s.season - 1])
        note += f" At the season’s lag, {s.season}, the correlation is"
        note += f" {share(far)}{': a seasonal term is worth trying' if out else ''}."
    made = q.table("orders", "Orders worth trying", rows, note=f"{note} A click carries them over to models.")
    return touch.opening(made, [carried(s, order) for order in s.orders], "arima")


def carried(s: Looked, first: tuple[int, int, int]) -> dict[str, Any]:
    """The question of models that all these orders make, the clicked one looked at."""
    seasonal: Any = [0, 1, 1, s.season] if s.spec.seasonal_difference else "none"
    return {
        **{k: getattr(s.spec, k) for k in ("value", "time", "within", "doubled", "transform", "where")},
        "candidates": [list(o) for o in s.orders], "seasonal": seasonal,
        "main": f"({first[0]}, {first[1]}, {first[2]})",
    }  # fmt: skip


def _lags(s: Looked) -> TableBlock | None:
    c = s.correlogram
    if c is None:
        return None
    rows = [
        q.row(
            lag=q.count(k + 1, "Lag"), acf=q.fine(float(c.acf[k]), "Autocorrelation"), se=q.fine(float(c.se[k]), "SE"),
            pacf=q.fine(float(c.pacf[k]), "Partial"), q=q.num(float(c.q[k]), 2, "Ljung–Box Q", role="statistic"),
            p=q.p(float(c.p[k])),
        )
        for k in range(len(c.acf))
    ]  # fmt: skip
    note = "SE by Bartlett, if correlations were 0 from that lag on; of partial ones 1/√n. Partial correlations by"
    note += " Yule and Walker with n − k below."
    return q.table("lags", f"Correlogram{_differenced(s)}", rows, note=note, folded=True)


def facts(s: Looked) -> dict[str, Any]:
    """Numbers by name."""
    p = s.parts
    out: dict[str, Any] = {
        "n": s.series.n, "season": s.season, "trend_strength": p.trend_strength,
        "season_strength": p.season_strength, "power": s.power,
        "gaps": len(s.series.bridged), "every": s.series.every,
    }  # fmt: skip
    for t in s.tested:
        for key, test in t.tests.items():
            if isinstance(test, UnitRoot):
                name = f"{t.name}.{key}".replace(" ", "_").replace(",", "").lower()
                out |= {f"{name}.statistic": test.statistic, f"{name}.p": test.p, f"{name}.lags": test.lags}
    if s.correlogram is not None:
        for k in range(min(len(s.correlogram.acf), 50)):
            out |= {f"acf_{k + 1}": s.correlogram.acf[k], f"pacf_{k + 1}": s.correlogram.pacf[k]}
        out |= {"ljung_box.q": s.correlogram.q[-1], "ljung_box.p": s.correlogram.p[-1]}
    return out


def _write_up(s: Looked) -> NoteBlock:
    """As methods and results of a paper tell it."""
    p = s.parts
    text = f"{s.series.column.title} ({s.series.long}, {s.series.labels[0]} to"
    text += f" {s.series.labels[-1]}) was split into trend"
    text += f"{', season' if np.isfinite(p.season_strength) else ''} and rest by local lines"
    text += f"; the trend holds {percent(p.trend_strength)} of the variance of trend and rest."
    for t in s.tested[:2]:
        root, calm = t.tests.get("ADF, constant"), t.tests.get("KPSS, constant")
        if isinstance(root, UnitRoot) and isinstance(calm, UnitRoot):
            told = {"below": "p < .01", "above": "p > .10"}.get(calm.bounded, f"p {p_words(calm.p)}")
            text += f" For {lower(t.name)} the augmented Dickey–Fuller test with a constant gave"
            text += f" {number(root.statistic, 2)}"
            text += f" ({counted(root.lags, 'lag')}, p {p_words(root.p)}), KPSS {number(calm.statistic, 3)} ({told})."
    return NoteBlock(id="write_up", text=text)
