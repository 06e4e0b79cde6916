"""Tables, pictures and facts of raters' agreement; nothing is computed here."""

import math
from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    decimals_of,
    level_words,
    number,
)
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.figures.raters import differences
from yavik.core.methods.kit import touch
from yavik.core.methods.scales.agreement.compute import Agreement
from yavik.core.methods.scales.agreement.words import WEIGHTED, decimals, reported, write_up
from yavik.core.stats.items.agreement import Kappa, Weights

FULL = "chance alone would give full agreement"
MOST_PAIRS = 10
SAID = {
    "ICC(1,1)": "one rating, raters differ from subject to subject",
    "ICC(2,1)": "one rating, raters are a sample; they must agree in level",
    "ICC(3,1)": "one rating, these raters; they must agree in order",
}


def blocks(a: Agreement) -> list[Any]:
    """Everything below the sentence."""
    if a.kind == "kappa":
        pairs = [(i, j) for j in range(a.m) for i in range(j)]
        return [_answers_picture(a), _kappas(a, pairs), *_crosses(a, pairs), _each(a), _shares(a), write_up(a)]
    drawn = _limit_pictures(a)
    if a.kind == "limits":
        return [*drawn, _limit_table(a), _means(a), _forms(a), _anova(a), write_up(a)]
    return [_forms_picture(a), _forms(a), _anova(a), _means(a), *drawn, _limit_table(a), write_up(a)]


def _kappa_cells(k: Kappa | None, alpha: float) -> q.Row:
    nan = float("nan")
    made = q.row(estimate=q.size(k.value if k else nan, "κ", FULL), se=q.fine(k.se if k else nan, "SE", FULL))
    made |= q.size_ci(k.low if k else nan, k.high if k else nan, alpha, FULL)
    made |= q.row(
        observed=q.part(k.observed if k else nan, "Agreement seen", FULL),
        expected=q.part(k.expected if k else nan, "by chance", FULL),
        z=q.stat(k.z if k else nan, "z", FULL),
        p=q.p(k.p if k else nan, why=FULL),
    )
    return made


def _kappas(a: Agreement, pairs: list[tuple[int, int]]) -> TableBlock:
    rows = []
    if a.m > 2:
        rows.append(
            q.row(raters=q.name("All raters", "Raters"), weights=q.said("unweighted, Fleiss", "Weights"))
            | _kappa_cells(a.together[0], a.spec.alpha)
        )
    kinds: list[Weights] = ["none", "linear", "quadratic"] if a.ordered and len(a.answers) > 2 else ["none"]
    for i, j in pairs[:60]:
        for w in kinds if a.m == 2 else dict.fromkeys(("none", a.weights)):
            name = f"{a.titles[i]}, {a.titles[j]}"
            rows.append(
                q.row(raters=q.name(name, "Raters"), weights=q.said(WEIGHTED[w], "Weights"))
                | _kappa_cells(a.kappa_of(i, j, w), a.spec.alpha)
            )
    note = "Agreement is weighted where κ is. z and p are against agreement by chance alone."
    if a.m > 2:
        note += " The interval of all raters is by the jackknife over subjects."
    marked = [["none", "linear", "quadratic"].index(a.weights)] if a.m == 2 and len(kinds) > 1 else []
    return q.table("kappa", "Agreement beyond chance", rows, note=note, marked=marked, strong=[])


def _crosses(a: Agreement, pairs: list[tuple[int, int]]) -> list[Any]:
    parts = []
    for i, j in pairs[:MOST_PAIRS]:
        counts = a.pair(i, j)
        rows = []
        for r, word in enumerate(a.answers):
            cells = q.row(answer=q.name(word, a.titles[i]))
            for c, other in enumerate(a.answers):
                cell = q.count(counts[r, c], other)
                cells[f"answer_{c + 1}"] = cell if r != c else cell.bold
            rows.append(cells | q.row(total=q.count(counts[r].sum(), "All")))
        note = f"Rows: {a.titles[i]}. Columns: {a.titles[j]}. In bold: the same answer."
        parts.append(
            (
                f"{a.columns[i].name}, {a.columns[j].name}",
                [q.table(f"crossed_{i + 1}_{j + 1}", "Who gave which answer", rows, note=note)],
            )
        )
    return touch.tabs("crossed", parts)


def _each(a: Agreement) -> TableBlock:
    """Agreement answer by answer."""
    seen = a.counts
    each = a.together[1]
    rows = []
    for k, word in enumerate(a.answers):
        total = float(seen[:, k].sum())
        both = float((seen[:, k] * (seen[:, k] - 1)).sum())
        rows.append(
            q.row(
                answer=q.name(word, "Answer"),
                share=q.part(total / seen.sum(), "Of all ratings"),
                specific=q.part(
                    both / (total * (a.m - 1)) if total > 0 else np.nan,
                    "Another rater agrees",
                    "nobody gave this answer",
                ),
                kappa=q.size(float(each[k]), "κ of this answer", "nobody gave this answer" if total == 0 else FULL),
            )
        )
    note = "Another rater agrees: of the ratings with this answer, how often another rater gives it too. κ: this"
    note += " answer against all others."
    return q.table("each", "Answer by answer", rows, note=note)


def _shares(a: Agreement) -> TableBlock:
    rows = []
    for j, title in enumerate(a.titles):
        own = np.bincount(a.codes[:, j], minlength=len(a.answers)) / a.n
        rows.append(
            q.row(
                rater=q.name(title, "Rater"),
                **{f"answer_{k + 1}": q.part(float(own[k]), w) for k, w in enumerate(a.answers)},
            )
        )
    return q.table("shares", "How often each rater gave each answer", rows)


def _answers_picture(a: Agreement) -> FigureBlock | None:
    each = a.together[1]
    if a.m == 2 or not np.isfinite(each).all():
        return None
    pairs = [(i, j) for j in range(a.m) for i in range(j)][:30]
    bars = []
    for i, j in pairs:
        k = a.kappa_of(i, j, a.weights)
        if k:
            bars.append(Bar(f"{a.columns[i].name}, {a.columns[j].name}", k.value, k.low, k.high, k.low > 0))
    return block("figure", "Agreement of each pair", forest(bars, "κ")) if bars else None


def _forms(a: Agreement) -> TableBlock:
    rows = []
    for f in a.intraclass.forms:
        one = f.form.endswith(",1)")
        what = SAID[f.form] if one else f"mean of {a.m} ratings, else as {f.form[:5]},1)"
        rows.append(
            q.row(form=q.name(f.form, "Form"), said=q.said(what, "Of what"), estimate=q.size(float(f.value), "ICC"))
            | q.size_ci(float(f.low), float(f.high), a.spec.alpha, "no error is left")
            | q.row(
                f=q.stat(float(f.f), "F", "no error is left"),
                df1=q.df(f.df1),
                df2=q.df(f.df2, "df of error"),
                p=q.p(f.p),
            )
        )
    note = "Forms by Shrout and Fleiss. In level: a rater who is always one higher disagrees; in order: such a rater"
    note += " agrees."
    return q.table("icc", "Intraclass correlations", rows, note=note, marked=[reported(a)], strong=[])


def _forms_picture(a: Agreement) -> FigureBlock | None:
    bars = [
        Bar(
            f"{f.form}: {'one rating' if f.form.endswith(',1)') else f'mean of {a.m}'}",
            float(f.value),
            float(f.low),
            float(f.high),
            f.low > 0,
        )
        for f in a.intraclass.forms
        if np.isfinite([f.value, f.low, f.high]).all()
    ]
    return block("figure", "Intraclass correlations", forest(bars, "Intraclass correlation")) if bars else None


def _anova(a: Agreement) -> TableBlock:
    v = a.intraclass
    d = decimals_of(math.sqrt(max(v.error, 1e-12)))
    d1, d2, d3 = a.n - 1, a.m - 1, (a.n - 1) * (a.m - 1)
    rows = [
        q.row(
            source=q.name("Subjects", "Source"),
            df=q.df(d1),
            ms=q.num(v.subjects, d + 1, "Mean square"),
            f=q.blank("F"),
            p=q.blank("p"),
        ),
        q.row(
            source=q.name("Raters", "Source"),
            df=q.df(d2),
            ms=q.num(v.raters, d + 1, "Mean square"),
            f=q.stat(v.f_raters, "F", "no error is left"),
            p=q.p(v.p_raters, why="no error is left"),
        ),
        q.row(
            source=q.name("Error", "Source"),
            df=q.df(d3),
            ms=q.num(v.error, d + 1, "Mean square"),
            f=q.blank("F"),
            p=q.blank("p"),
        ),
    ]
    return q.table("anova", "Where ratings vary", rows, note="Raters: whether they differ in level.")


def _means(a: Agreement) -> TableBlock:
    mean, sd = a.x.mean(axis=0), a.x.std(axis=0, ddof=1)
    d = decimals_of(float(max(sd.max(), 1e-9)) / math.sqrt(a.n), float(np.abs(mean).max()))
    unit = a.columns[0].unit
    rows = [
        q.row(
            rater=q.name(t, "Rater"),
            n=q.count(a.n),
            mean=q.num(float(mean[j]), d, "Mean", unit=unit),
            sd=q.num(float(sd[j]), d, "SD", unit=unit),
        )
        for j, t in enumerate(a.titles)
    ]
    return q.table("raters", "The raters", rows)


def _limit_table(a: Agreement) -> TableBlock:
    rows = []
    unit = a.columns[0].unit
    for (i, j), v in list(a.limits.items())[:60]:
        d = decimals(v)
        rows.append(
            q.row(
                pair=q.name(f"{a.titles[i]} − {a.titles[j]}", "Difference"), estimate=q.est(v.bias, d, "Mean", unit)
            )
            | q.ci(*v.bias_ends, d, a.spec.alpha)
            | q.row(
                sd=q.num(v.sd, d, "SD", unit=unit),
                p=q.p(v.p_bias, why="differences have no spread"),
                low=q.num(v.low, d, "Lower limit", unit=unit),
            )
            | q.ci(*v.low_ends, d, a.spec.alpha, key="low_ci")
            | q.row(high=q.num(v.high, d, "Upper limit", unit=unit))
            | q.ci(*v.high_ends, d, a.spec.alpha, key="high_ci")
        )
    note = f"Limits: mean ± {number(a.z, 2)} SD, between which {level_words(a.spec.alpha)} of differences are"
    note += " expected if they are normal. p: mean against 0."
    return q.table("limits", "Limits of agreement", rows, note=note)


def _limit_pictures(a: Agreement) -> list[Any]:
    parts = []
    rows = np.arange(len(a.use))[a.use] + 1
    for (i, j), v in list(a.limits.items())[:MOST_PAIRS]:
        unit = f" ({a.columns[i].unit})" if a.columns[i].unit else ""
        drawn = differences(
            v.mean,
            v.difference,
            rows,
            (v.low, v.bias, v.high),
            f"Mean of both{unit}",
            f"{a.columns[i].name} − {a.columns[j].name}{unit}",
            decimals(v),
        )
        parts.append(
            (
                f"{a.columns[i].name}, {a.columns[j].name}",
                [block(f"differences_{i + 1}_{j + 1}", "Differences over means, with limits of agreement", drawn)],
            )
        )
    return touch.tabs("differences", parts)


def facts(a: Agreement) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {"n": a.n, "raters": a.m, "kind": a.kind}
    if a.kind == "kappa":
        k = a.whole
        out["same"] = a.same
        if k:
            out |= {
                "estimate": k.value,
                "kappa": k.value,
                "kappa.ci_low": k.low,
                "kappa.ci_high": k.high,
                "kappa.se": k.se,
                "p": k.p,
                "observed": k.observed,
                "expected": k.expected,
            }
        return out
    for f in a.intraclass.forms:
        key = f.form.lower().replace("(", "_").replace(",", "_").replace(")", "")
        out |= {key: f.value, f"{key}.ci_low": f.low, f"{key}.ci_high": f.high}
    v = next(iter(a.limits.values()))
    out |= {"bias": v.bias, "sd": v.sd, "lower_limit": v.low, "upper_limit": v.high}
    out["estimate"] = a.intraclass.forms[reported(a)].value if a.kind == "icc" else v.bias
    return out
