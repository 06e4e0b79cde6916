"""Sentences, tables, picture and checks of repeated measures."""

from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import finer, level_words, listing, number, say, told
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Line, block, profile
from yavik.core.methods.compare.repeated.data import Subjects, by_group, design_of
from yavik.core.methods.compare.repeated.spec import RepeatedSpec
from yavik.core.methods.compare.repeated.words import test_of
from yavik.core.methods.kit.pairs import pairs_table
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.oneway import FTest
from yavik.core.stats.pairwise import Pairs, ranks_within
from yavik.core.stats.within import Friedman, Repeated, estimated_times
from yavik.core.stats.within import friedman as friedman_of

EVERY = "Every time with every other"


def picture(s: Subjects, spec: RepeatedSpec) -> FigureBlock:
    """Means over the times with their intervals, a line for each group."""
    lines = []
    for name, y in by_group(s):
        mean, n = y.mean(axis=0), len(y)
        reach = (
            float(stats.t.isf(spec.alpha / 2, n - 1)) * y.std(axis=0, ddof=1) / np.sqrt(n)
            if n > 1
            else np.full(y.shape[1], np.nan)
        )
        lines.append(Line(name, mean.tolist(), (mean - reach).tolist(), (mean + reach).tolist()))
    title = (s.value if s.value != "the value" else "Mean") + (f" ({s.unit})" if s.unit else "")
    drawn = profile(
        lines, s.times, s.time_title if s.time_title != "time" else "", title, s.group_title or None, width=380
    )
    of = f" of {s.value}" if s.value != "the value" else ""
    caption = f"Means{of} over {lower(s.time_title)}; bars are {level_words(spec.alpha)} confidence intervals."
    return block("figure", f"Means over {s.time_title}", drawn).model_copy(update={"caption": say(caption)})


def _line(term: str, head: str, ss: float, d: int, t: FTest, partial: float) -> q.Row:
    cells = q.row(term=q.name(term, head), ss=q.num(ss, d, "Sum of squares"), **q.f_cells(t, "df1", "df2", "f", "p"))
    return cells | q.row(partial_eta2=q.size(partial, "Partial η²"))


def within(s: Subjects, r: Repeated, epsilon: float, how: str) -> TableBlock:
    """Time, and time with groups, tested within subjects."""
    d = finer(s.decimals, r.within[0].error_ss)
    rows = [_line(e.term, "Within subjects", e.ss, d, test_of(e, epsilon), e.partial_eta2) for e in r.within]
    note = f"{how[0].upper()}{how[1:]}. Error sum of squares {number(r.within[0].error_ss, d)}."
    return q.table("test", "Changes within subjects", rows, note=note)


def between(r: Repeated) -> TableBlock | None:
    """Groups and covariates, tested between subjects."""
    if not r.between:
        return None
    rows = [_line(e.term, "Between subjects", e.ss, 2, e.test, e.partial_eta2) for e in r.between]
    return q.table(
        "anova", "Differences between subjects", rows, note="Each subject's mean over the times; type III."
    )


def means(s: Subjects, spec: RepeatedSpec) -> TableBlock:
    """n, mean, SD and the mean's interval of each time, by groups."""
    d, rows, one = s.decimals + 1, [], "one subject"
    for name, y in by_group(s):
        n = len(y)
        group = {"group": q.name(name, s.group_title)} if s.group is not None else {}
        for j, time in enumerate(s.times):
            m, sd = float(y[:, j].mean()), float(y[:, j].std(ddof=1)) if n > 1 else np.nan
            reach = float(stats.t.isf(spec.alpha / 2, n - 1)) * sd / np.sqrt(n) if n > 1 else np.nan
            rows.append(
                group
                | q.row(
                    level=q.name(time, f"{s.time_title[0].upper()}{s.time_title[1:]}"), n=q.count(n),
                    mean=q.num(m, d, "Mean"), sd=q.num(sd, d, "SD", why=one),
                    **q.ci(m - reach, m + reach, d, spec.alpha, why=one),
                )
            )  # fmt: skip
    title = "Means" + (f" ({s.unit})" if s.unit else "")
    return q.table("means", title, rows, folded=len(rows) > 12, unit=s.unit or "")


def pairs(s: Subjects, spec: RepeatedSpec) -> TableBlock | None:
    """Every time with every other, each pair with its own spread of differences; Holm."""
    t = s.y.shape[1]
    if t > 20:
        return None
    a, b = np.triu_indices(t, 1)
    found = estimated_times(s.y, design_of(s))
    free = found.df
    mean, se = (
        np.array(v) for v in zip(*(found.difference(int(i), int(j)) for i, j in zip(a, b, strict=True)), strict=True)
    )
    with np.errstate(invalid="ignore", divide="ignore"):
        value = mean / np.where(se > 0, se, np.nan)
    p = np.asarray(2 * stats.t.sf(np.abs(value), free))
    known = np.isfinite(p)
    adjusted = np.full(len(p), np.nan)
    adjusted[known] = adjust(p[known], "holm")
    reach = float(stats.t.isf(spec.alpha / (2 * len(a)), free)) * se
    d = max(s.decimals + 1, told(s.decimals, *se.tolist()))
    held = f", {listing([lower(c) for c in s.covariate_titles])} held at the mean" if s.covariate_titles else ""
    alike = ", taken within groups that count alike" if s.group is not None else ""
    note = f"Each pair has the spread of its own differences{alike}{held}; p by Holm,"
    note += f" intervals by Bonferroni, {free} df."
    compared = Pairs(a, b, mean, se, value, np.full(len(a), float(free)), p, adjusted, mean - reach, mean + reach)
    return pairs_table(
        compared, s.times, spec.alpha, decimals=d, title=EVERY, by="Holm", unit=s.unit, note=note,
        why="all differences are the same",
    )  # fmt: skip


def corrections(r: Repeated) -> TableBlock | None:
    """The tests within subjects under each correction."""
    s = r.sphericity
    if s is None:
        return None
    kinds = (
        ("none, sphericity assumed", 1.0), ("Greenhouse–Geisser", s.greenhouse_geisser),
        ("Huynh–Feldt", s.huynh_feldt),
        ("lower bound", s.lower_bound),
    )  # fmt: skip
    rows = [
        q.row(
            term=q.name(e.term, "Within subjects"), correction=q.name(name, "Correction"),
            epsilon=q.num(epsilon, 3, "ε"),
            **q.f_cells(e.corrected(epsilon), "df1", "df2", "f", "p"),
        )
        for e in r.within
        for name, epsilon in kinds
    ]  # fmt: skip
    return q.table("tests", "The same tests under each correction", rows, folded=True)


def by_friedman(s: Subjects, *, folded: bool = True) -> TableBlock | None:
    """Friedman's test; None where there are groups, or ranks cannot be had."""
    if s.group is not None or s.y.shape[1] < 2 or len(s.y) < 2:
        return None
    found = friedman_of(s.y)
    if not np.isfinite(found.chi2):
        return None
    row = q.row(term=q.name(s.time_title), **q.chi2_cells(found), w=q.num(found.w, 2, "Kendall's W"))
    title = "By ranks within subjects, Friedman"
    return q.table("ranks" if folded else "test", title, [row], note="χ² corrected for ties.", folded=folded)


def rank_pairs(s: Subjects, spec: RepeatedSpec, f: Friedman) -> TableBlock:
    """Every two times by their mean ranks."""
    return pairs_table(
        ranks_within(f, len(s.y), "holm"), s.times, spec.alpha, decimals=2, title=f"{EVERY}, by ranks", by="Holm",
        head="Difference of mean ranks", letter="z", note="p by Holm.", folded=False,
    )  # fmt: skip


def facts(s: Subjects, r: Repeated, epsilon: float, p: float) -> dict[str, Any]:
    """Numbers by name."""
    spread = float(np.ptp(estimated_times(s.y, design_of(s)).means))
    out: dict[str, Any] = {"p": p, "n": len(s.y), "times": s.y.shape[1], "epsilon": epsilon, "estimate": spread}
    for i, e in enumerate(r.within):
        name = "within" if i == 0 else f"within:{e.term.split(' × ', 1)[1]}"
        t = test_of(e, epsilon)
        own = {"ss": e.ss, "f": e.test.f, "df1": t.df1, "df2": t.df2, "p": t.p, "p_uncorrected": e.test.p}
        out |= {f"{name}.{key}": value for key, value in own.items()}
    out["within.error_ss"] = r.within[0].error_ss
    for e in r.between:
        out |= {f"between:{e.term}.f": e.test.f, f"between:{e.term}.p": e.test.p, f"between:{e.term}.ss": e.ss}
    if r.sphericity:
        k = r.sphericity
        out |= {"mauchly.w": k.w, "mauchly.p": k.p, "epsilon.gg": k.greenhouse_geisser, "epsilon.hf": k.huynh_feldt}
    return out


def rank_facts(s: Subjects, f: Friedman) -> dict[str, Any]:
    """Numbers of Friedman's test by name."""
    own = {"p": f.p, "n": len(s.y), "friedman.chi2": f.chi2, "friedman.p": f.p, "friedman.w": f.w}
    return own | {"friedman.f": f.f.f if f.f else np.nan}
