"""Sentences, tables, picture and checks of repeated measures."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import finer, level_words, listing, number, say, told
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Line, block, profile
from yavik.core.methods.compare.repeated.compute import RepeatedResults
from yavik.core.methods.compare.repeated.data import Subjects
from yavik.core.methods.compare.repeated.words import test_of
from yavik.core.methods.kit.pairs import pairs_table
from yavik.core.stats.oneway import FTest
from yavik.core.stats.within import Friedman, Repeated

EVERY = "Every time with every other"


def picture(r: RepeatedResults) -> FigureBlock:
    """Means over the times with their intervals, a line for each group."""
    s = r.subjects
    lines = [Line(m.name, m.mean.tolist(), (m.mean - m.reach).tolist(), (m.mean + m.reach).tolist()) for m in r.means]
    title = (s.value if s.value != "the value" else "Mean") + (f" ({s.unit})" if s.unit else "")
    drawn = profile(
        lines, s.times, s.time_title if s.time_title != "time" else "", title, s.group_title or None, width=380
    )
    of = f" of {s.value}" if s.value != "the value" else ""
    caption = f"Means{of} over {lower(s.time_title)}; bars are {level_words(r.alpha)} confidence intervals."
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


def means(r: RepeatedResults) -> TableBlock:
    """n, mean, SD and the mean's interval of each time, by groups."""
    s, rows, one = r.subjects, [], "one subject"
    d = s.decimals + 1
    for m in r.means:
        group = {"group": q.name(m.name, s.group_title)} if s.group is not None else {}
        for time, mean, sd, reach in zip(s.times, m.mean.tolist(), m.sd.tolist(), m.reach.tolist(), strict=True):
            rows.append(
                group
                | q.row(
                    level=q.name(time, f"{s.time_title[0].upper()}{s.time_title[1:]}"), n=q.count(m.n),
                    mean=q.num(mean, d, "Mean"), sd=q.num(sd, d, "SD", why=one),
                    **q.ci(mean - reach, mean + reach, d, r.alpha, why=one),
                )
            )  # fmt: skip
    title = "Means" + (f" ({s.unit})" if s.unit else "")
    return q.table("means", title, rows, folded=len(rows) > 12, unit=s.unit or "")


def pairs(r: RepeatedResults) -> TableBlock | None:
    """Every time with every other, each pair with its own spread of differences."""
    s, found = r.subjects, r.pairs
    if found is None:
        return None
    d = max(s.decimals + 1, told(s.decimals, *found.se.tolist()))
    held = f", {listing([lower(c) for c in s.covariate_titles])} held at the mean" if s.covariate_titles else ""
    alike = ", taken within groups that count alike" if s.group is not None else ""
    note = f"Each pair has the spread of its own differences{alike}{held}; p by Holm,"
    note += f" intervals by Bonferroni, {r.times.df} df."
    return pairs_table(
        found, s.times, r.alpha, decimals=d, title=EVERY, by="Holm", unit=s.unit, note=note,
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


def by_friedman(r: RepeatedResults, *, folded: bool = True) -> TableBlock | None:
    """Friedman's test, where it can be had."""
    found = r.ranks
    if found is None:
        return None
    row = q.row(term=q.name(r.subjects.time_title), **q.chi2_cells(found), w=q.num(found.w, 2, "Kendall's W"))
    title = "By ranks within subjects, Friedman"
    return q.table("ranks" if folded else "test", title, [row], note="χ² corrected for ties.", folded=folded)


def rank_pairs(r: RepeatedResults) -> TableBlock:
    """Every two times by their mean ranks."""
    return pairs_table(
        r.rank_pairs, r.subjects.times, r.alpha, decimals=2, title=f"{EVERY}, by ranks", by="Holm",
        head="Difference of mean ranks", letter="z", note="p by Holm.", folded=False,
    )  # fmt: skip


def facts(results: RepeatedResults, epsilon: float, p: float) -> dict[str, Any]:
    """Numbers by name."""
    s, r = results.subjects, results.effects
    spread = float(np.ptp(results.times.means))
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
