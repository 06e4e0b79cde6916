"""Tables, picture and facts of a factorial answer."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after, alpha_words, finer, level_words, listing, number, say, share, told
from yavik.core.figures.plots import Line, block, profile
from yavik.core.methods.compare.factorial.compute import MOST_CELLS, FactorialResults
from yavik.core.methods.compare.factorial.data import Factorial
from yavik.core.methods.compare.factorial.spec import FactorialSpec
from yavik.core.methods.compare.factorial.words import Tests, blocked_by_empty, tests_of
from yavik.core.methods.compare.groups.spec import PAIR_WORDS
from yavik.core.methods.kit.analysis import source
from yavik.core.methods.kit.pairs import pairs_table
from yavik.core.stats.linear import SumsOfSquares, Term

NOT_ESTIMABLE = "a cell that this mean needs has no rows"


def _unit(f: Factorial) -> str:
    return f" ({f.response.unit})" if f.response.unit else ""


def picture(r: FactorialResults) -> FigureBlock | None:
    """Estimated means: the factor with most levels along the axis, the next as lines."""
    f = r.factorial
    factors = [i for i in range(len(f.factors)) if i != f.block]
    order = sorted(factors, key=lambda i: -len(f.factors[i].levels))[:2]
    term = tuple(sorted(order))
    if any(len(f.factors[i].levels) > 24 for i in order):
        return None
    means = r.means(term)
    half = r.reach * means.se
    along, by = order[0], (order[1] if len(order) > 1 else None)
    index = {p: i for i, p in enumerate(means.places)}
    lines = []
    for j in range(len(f.factors[by].levels) if by is not None else 1):
        picks = []
        for i in range(len(f.factors[along].levels)):
            place = {along: i} | ({by: j} if by is not None else {})
            picks.append(index[tuple(place[t] for t in term)])
        y = means.mean[picks]
        name = f.factors[by].levels[j] if by is not None else "all"
        lines.append(Line(name, y.tolist(), (y - half[picks]).tolist(), (y + half[picks]).tolist()))
    title = f.response.title + _unit(f)
    drawn = profile(lines, f.factors[along].levels, f.titles[along], title, f.titles[by] if by is not None else None)
    caption = (
        f"Estimated means of {f.response.title} by {' and '.join(f.titles[i] for i in order)}; bars are"
        f" {level_words(r.spec.alpha)} confidence intervals."
    )
    return block("figure", f"Estimated means of {f.response.title}", drawn).model_copy(
        update={"caption": say(caption)}
    )


def anova(f: Factorial, spec: FactorialSpec, tests: Tests) -> TableBlock:
    """Every term with its sum of squares, F and partial η²."""
    d, rows = finer(f.decimals, f.model.rss), []
    for term, test in tests:
        gone = blocked_by_empty(f, term, spec.sums_of_squares)
        if gone:
            nan = float("nan")
            row = source(f.name(term), nan, nan, d, ms=nan, partial=nan, tested=True, why=gone)
            rows.append(row | q.row(ss=q.gone(gone, "Sum of squares"), df=q.gone(gone, "df", "df")))
            continue
        none = "there is no residual spread"
        if not test.df:
            others = f.model.told_by(term)
            none = (
                f"says the same as {listing([f.name(o) for o in others])}" if others else "no row is left to tell it"
            )
        partial = test.ss / (test.ss + f.model.rss)
        rows.append(
            source(
                f.name(term), test.ss, test.df, d, ms=test.ms, test=test.test, partial=partial, tested=True, why=none
            )
        )
    rows.append(source("Residual", f.model.rss, f.model.df, d, ms=f.model.mse))
    rows.append(source("Total", f.model.total, len(f.y) - 1, d))
    r2 = 1 - f.model.rss / f.model.total
    adjusted = 1 - (1 - r2) * (len(f.y) - 1) / f.model.df
    sd = f"{number(float(np.sqrt(f.model.mse)), f.decimals + 1)}{after(f.response.unit).replace(chr(160), ' ')}"
    note = f"Sums of squares of type {spec.sums_of_squares.upper()}."
    note += f" R² {share(r2)}, adjusted {share(adjusted)}; residual SD {sd}."
    return q.table("anova", "Tests of the terms", rows, note=note)


def all_means(r: FactorialResults) -> list[TableBlock]:
    """Main effects' means, and the cells of the highest interaction."""
    f = r.factorial
    terms = [t for t in f.model.terms if t[0] >= 0 and (len(t) == 1 and t[0] != f.block)]
    top = max((t for t in f.model.terms if len(t) > 1), key=len, default=None)
    made = [_means(r, t, f"means_{f.factors[t[0]].name}", folded=len(terms) > 3) for t in terms]
    if top is None and len(terms) > 1:
        top = tuple(t[0] for t in terms[:2])
    if top and np.prod([len(f.factors[i].levels) for i in top]) <= MOST_CELLS:
        made.append(_means(r, top, "means", folded=True))
    return made


def _means(r: FactorialResults, term: Term, id: str, *, folded: bool) -> TableBlock:
    f, found, reach, rows = r.factorial, r.means(term), r.reach, []
    errors = np.where(np.isfinite(found.se), found.se, 0.0)
    d = max(finer(f.decimals, float(np.abs(f.y).max())), told(f.decimals, *errors.tolist()))
    for i, place in enumerate(found.places):
        se, mean = float(found.se[i]), float(found.mean[i])
        own = {
            f"level{j}": q.name(f.factors[t].levels[v], f.titles[t])
            for j, (t, v) in enumerate(zip(term, place, strict=True))
        }
        rows.append(
            own
            | q.row(
                n=q.count(found.n[i]), observed=q.num(float(found.observed[i]), d, "Mean as it is", why="no rows"),
                mean=q.num(mean, d, "Estimated mean", why=NOT_ESTIMABLE),
                se=q.num(se, d + 1, "SE", why=NOT_ESTIMABLE),
                **q.ci(mean - reach * se, mean + reach * se, d, r.spec.alpha, why=NOT_ESTIMABLE),
            )
        )  # fmt: skip
    note = "Estimated means weigh the levels of other factors equally"
    if f.covariates:
        held = [f"{c} at {number(float(v), 2)}" for c, v in zip(f.covariates, r.at, strict=True)]
        note += f", with {listing(held)}"
    title = f"Means by {f.name(term)}{_unit(f)}"
    return q.table(id, title, rows, note=note + ".", folded=folded, unit=f.response.unit or "")


def all_pairs(r: FactorialResults, terms: list[Term]) -> list[TableBlock]:
    """The pairs of each of these terms that can be compared."""
    return [t for term in terms if (t := _pairs(r, term)) is not None]


def _pairs(r: FactorialResults, term: Term) -> TableBlock | None:
    f, spec, found = r.factorial, r.spec, r.pairs(term)
    if found is None:
        return None
    p, names = found.pairs, found.names
    d = max(finer(f.decimals, float(np.abs(f.y).max())), told(f.decimals, *p.se.tolist()))
    by = PAIR_WORDS[spec.pairs]
    lettered = "; ".join(f"{n} {x}" for n, x in zip(names, found.letters, strict=True))
    note = (
        f"Letters: {lettered}. Those that share a letter cannot be told apart ({by}, α = {alpha_words(spec.alpha)})."
    )
    return pairs_table(
        p, names, spec.alpha, decimals=d, title=f"Pairs of {f.name(term)}, {by}", by=by, unit=f.response.unit,
        note=note,
        adjusted="p" if spec.pairs == "lsd" else "adjusted p",
        id="pairs_" + "_".join(f.factors[t].name for t in term),
        show_se=True,
    )  # fmt: skip


def simple_effects(r: FactorialResults) -> list[TableBlock]:
    """For each interaction of two or three factors: does one factor matter at each combination of the others?"""
    f, made = r.factorial, []
    for term in f.model.terms:
        found = r.simple(term) if len(term) in (2, 3) and f.block not in term else []
        if not found:
            continue
        rows = []
        for e in found:
            at = ", ".join(f"{f.titles[o]}: {f.factors[o].levels[v]}" for o, v in e.at)
            rows.append(
                q.row(term=q.name(f.titles[e.factor], "Effect of"), at=q.said(at, "where"), **q.f_cells(e.test))
            )
        id = "simple_" + "_".join(f.factors[t].name for t in term)
        note = "Each tested against the residual of the whole model; p not adjusted."
        made.append(q.table(id, f"Simple effects within {f.name(term)}", rows, note=note, folded=True))
    return made


def slopes(r: FactorialResults) -> TableBlock | None:
    """One slope for each covariate."""
    if not r.slopes:
        return None
    rows = []
    for x in r.slopes:
        d, reach = max(2, int(np.ceil(-np.log10(max(abs(x.slope), x.se) + 1e-300))) + 2), r.reach * x.se
        rows.append(
            q.row(
                term=q.name(x.name, "Covariate"), estimate=q.est(x.slope, d, "Slope"), se=q.num(x.se, d + 1, "SE"),
                **q.ci(x.slope - reach, x.slope + reach, d, r.spec.alpha), t=q.stat(x.t, "t"), p=q.p(x.p),
            )
        )  # fmt: skip
    return q.table("coefficients", "Slopes of the covariates", rows, note="One slope for all cells.")


def other_kinds(f: Factorial, spec: FactorialSpec) -> TableBlock | None:
    """How p fares under each type of sums of squares; nothing to say where cells are balanced."""
    if len(set(f.cells.n.tolist())) == 1 and not f.covariates:
        return None
    order: tuple[SumsOfSquares, ...] = ("iii", "ii", "i")
    kinds = {k: dict(tests_of(f, k)) for k in order}
    rows = []
    for term in f.model.terms:
        row = q.row(term=q.name(f.name(term), "Source"))
        for k in kinds:
            why, t, title = blocked_by_empty(f, term, k), kinds[k][term].test, f"p, type {k.upper()}"
            other = "cannot be told from other terms"
            row[k] = q.gone(why, title, "p") if why else q.p(t.p if t else np.nan, title, other)
        rows.append(row)
    return q.table("tests", "The same terms by other sums of squares", rows, folded=True)


def facts(f: Factorial, tests: Tests, p: float | None) -> dict[str, Any]:
    """Numbers by name."""
    rss = f.model.rss
    out: dict[str, Any] = {
        "n": len(f.y),
        "p": p,
        "r2": 1 - rss / f.model.total,
        "residual.ss": rss,
        "residual.df": f.model.df,
    }
    for term, test in tests:
        name = ":".join(f.factors[t].name for t in term) if term[0] >= 0 else f.covariates[-term[0] - 1]
        out[f"{name}.ss"], out[f"{name}.df"] = test.ss, test.df
        if test.test:
            out |= {f"{name}.f": test.test.f, f"{name}.p": test.test.p}
    return out
