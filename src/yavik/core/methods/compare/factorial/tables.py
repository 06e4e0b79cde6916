"""Tables, picture and facts of a factorial answer."""

from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after, alpha_words, finer, level_words, listing, number, say, share, told
from yavik.core.figures.plots import Line, block, profile
from yavik.core.methods.compare.factorial.data import Factorial
from yavik.core.methods.compare.factorial.spec import FactorialSpec
from yavik.core.methods.compare.factorial.words import Tests, blocked_by_empty, tests_of
from yavik.core.methods.compare.groups.spec import PAIR_WORDS
from yavik.core.methods.kit.analysis import source
from yavik.core.methods.kit.pairs import pairs_table
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.stats.linear import SumsOfSquares, Term
from yavik.core.stats.oneway import f_test
from yavik.core.stats.pairwise import from_means

MOST_CELLS = 60
NOT_ESTIMABLE = "a cell that this mean needs has no rows"


def _reach(f: Factorial, alpha: float) -> float:
    return float(stats.t.isf(alpha / 2, f.model.df))


def _unit(f: Factorial) -> str:
    return f" ({f.response.unit})" if f.response.unit else ""


def picture(f: Factorial, spec: FactorialSpec, at: Any) -> FigureBlock | None:
    """Estimated means: the factor with most levels along the axis, the next as lines."""
    factors = [i for i in range(len(f.factors)) if i != f.block]
    order = sorted(factors, key=lambda i: -len(f.factors[i].levels))[:2]
    term = tuple(sorted(order))
    if any(len(f.factors[i].levels) > 24 for i in order):
        return None
    places, means, covariance = f.model.estimated(term, at)
    reach = _reach(f, spec.alpha)
    half = reach * np.sqrt(np.maximum(np.diag(covariance), 0))
    along, by = order[0], (order[1] if len(order) > 1 else None)
    index = {p: i for i, p in enumerate(places)}
    lines = []
    for j in range(len(f.factors[by].levels) if by is not None else 1):
        picks = []
        for i in range(len(f.factors[along].levels)):
            place = {along: i} | ({by: j} if by is not None else {})
            picks.append(index[tuple(place[t] for t in term)])
        y = means[picks]
        name = f.factors[by].levels[j] if by is not None else "all"
        lines.append(Line(name, y.tolist(), (y - half[picks]).tolist(), (y + half[picks]).tolist()))
    title = f.response.title + _unit(f)
    drawn = profile(lines, f.factors[along].levels, f.titles[along], title, f.titles[by] if by is not None else None)
    caption = (
        f"Estimated means of {f.response.title} by {' and '.join(f.titles[i] for i in order)}; bars are"
        f" {level_words(spec.alpha)} confidence intervals."
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


def all_means(f: Factorial, spec: FactorialSpec, at: Any) -> list[TableBlock]:
    """Main effects' means, and the cells of the highest interaction."""
    terms = [t for t in f.model.terms if t[0] >= 0 and (len(t) == 1 and t[0] != f.block)]
    top = max((t for t in f.model.terms if len(t) > 1), key=len, default=None)
    made = [_means(f, spec, t, at, f"means_{f.factors[t[0]].name}", folded=len(terms) > 3) for t in terms]
    if top is None and len(terms) > 1:
        top = tuple(t[0] for t in terms[:2])
    if top and np.prod([len(f.factors[i].levels) for i in top]) <= MOST_CELLS:
        made.append(_means(f, spec, top, at, "means", folded=True))
    return made


def _means(f: Factorial, spec: FactorialSpec, term: Term, at: Any, id: str, *, folded: bool) -> TableBlock:
    places, means, covariance = f.model.estimated(term, at)
    errors = np.sqrt(np.maximum(np.diag(covariance), 0))
    reach, d = (
        _reach(f, spec.alpha),
        max(finer(f.decimals, float(np.abs(f.y).max())), told(f.decimals, *errors.tolist())),
    )
    counts, observed, rows = _counts(f, term, places), _observed(f, term, places), []
    for i, place in enumerate(places):
        se, mean = float(np.sqrt(covariance[i, i])) if np.isfinite(covariance[i, i]) else np.nan, float(means[i])
        own = {
            f"level{j}": q.name(f.factors[t].levels[v], f.titles[t])
            for j, (t, v) in enumerate(zip(term, place, strict=True))
        }
        rows.append(
            own
            | q.row(
                n=q.count(counts[i]), observed=q.num(float(observed[i]), d, "Mean as it is", why="no rows"),
                mean=q.num(mean, d, "Estimated mean", why=NOT_ESTIMABLE),
                se=q.num(se, d + 1, "SE", why=NOT_ESTIMABLE),
                **q.ci(mean - reach * se, mean + reach * se, d, spec.alpha, why=NOT_ESTIMABLE),
            )
        )  # fmt: skip
    note = "Estimated means weigh the levels of other factors equally"
    if f.covariates:
        held = [f"{c} at {number(float(v), 2)}" for c, v in zip(f.covariates, at, strict=True)]
        note += f", with {listing(held)}"
    title = f"Means by {f.name(term)}{_unit(f)}"
    return q.table(id, title, rows, note=note + ".", folded=folded, unit=f.response.unit or "")


def _counts(f: Factorial, term: Term, places: Any) -> Any:
    flat = dict.fromkeys(places, 0.0)
    for levels, n in zip(f.cells.levels[:, list(term)], f.cells.n, strict=True):
        flat[tuple(int(v) for v in levels)] += float(n)
    return np.array([flat[p] for p in places])


def _observed(f: Factorial, term: Term, places: Any) -> Any:
    sums = dict.fromkeys(places, 0.0)
    for levels, n, m in zip(f.cells.levels[:, list(term)], f.cells.n, f.cells.mean, strict=True):
        sums[tuple(int(v) for v in levels)] += float(n * m)
    counts = _counts(f, term, places)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.array([sums[p] for p in places]) / counts + f.cells.shift


def all_pairs(f: Factorial, spec: FactorialSpec, at: Any, terms: list[Term]) -> list[TableBlock]:
    """The pairs of each of these terms that can be compared."""
    return [t for term in terms if (t := _pairs(f, spec, term, at)) is not None]


def _pairs(f: Factorial, spec: FactorialSpec, term: Term, at: Any) -> TableBlock | None:
    places, means, covariance = f.model.estimated(term, at)
    known = np.flatnonzero(np.isfinite(means))
    if len(known) < 2 or len(known) > MOST_CELLS:
        return None
    means, covariance = means[known], covariance[np.ix_(known, known)]
    names = [", ".join(f.factors[t].levels[v] for t, v in zip(term, places[i], strict=True)) for i in known]
    p = from_means(means, np.diag(covariance).copy(), float(f.model.df), spec.pairs, spec.alpha, None, covariance)
    found = letters_from_pairs(
        [float(m) for m in means], p.a.tolist(), p.b.tolist(), [float(x) for x in p.p_adjusted], spec.alpha, up=True
    )
    d = max(finer(f.decimals, float(np.abs(f.y).max())), told(f.decimals, *p.se.tolist()))
    by = PAIR_WORDS[spec.pairs]
    lettered = "; ".join(f"{n} {x}" for n, x in zip(names, found, strict=True))
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


def simple_effects(f: Factorial, spec: FactorialSpec) -> list[TableBlock]:
    """For each interaction of two or three factors: does one factor matter at each combination of the others?"""
    made = []
    for term in f.model.terms:
        if len(term) not in (2, 3) or f.block in term:
            continue
        places, means, covariance = f.model.estimated(term)
        if not np.isfinite(means).all():
            continue
        rows = []
        for inner in range(len(term)):
            outer = [i for i in range(len(term)) if i != inner]
            for levels in np.ndindex(*(len(f.factors[term[o]].levels) for o in outer)):
                own = [i for i, p in enumerate(places) if tuple(p[o] for o in outer) == levels]
                contrast = np.hstack([np.eye(len(own) - 1), -np.ones((len(own) - 1, 1))])
                c, m = contrast @ means[own], contrast @ covariance[np.ix_(own, own)] @ contrast.T
                t = f_test(float(c @ np.linalg.solve(m, c)) / len(c), len(c), f.model.df)
                at = [
                    f"{f.titles[term[o]]}: {f.factors[term[o]].levels[v]}" for o, v in zip(outer, levels, strict=True)
                ]
                rows.append(
                    q.row(
                        term=q.name(f.titles[term[inner]], "Effect of"), at=q.said(", ".join(at), "where"),
                        **q.f_cells(t)
                    )
                )  # fmt: skip
        id = "simple_" + "_".join(f.factors[t].name for t in term)
        note = "Each tested against the residual of the whole model; p not adjusted."
        made.append(q.table(id, f"Simple effects within {f.name(term)}", rows, note=note, folded=True))
    return made


def slopes(f: Factorial, spec: FactorialSpec) -> TableBlock | None:
    """One slope for each covariate."""
    if not f.covariates:
        return None
    reach, rows = _reach(f, spec.alpha), []
    for name, (slope, se) in zip(f.covariates, f.model.slopes(), strict=True):
        d, t = max(2, int(np.ceil(-np.log10(max(abs(slope), se) + 1e-300))) + 2), slope / se
        rows.append(
            q.row(
                term=q.name(name, "Covariate"), estimate=q.est(slope, d, "Slope"), se=q.num(se, d + 1, "SE"),
                **q.ci(slope - reach * se, slope + reach * se, d, spec.alpha), t=q.stat(t, "t"),
                p=q.p(float(2 * stats.t.sf(abs(t), f.model.df))),
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
