"""Sentences, tables, picture and checks of repeated measures."""

from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers.make import ci_cells, ci_head, grid, share_cell
from yavik.core.answers.wording import (
    df_cell,
    finer,
    level_words,
    listing,
    num,
    number,
    p_cell,
    say,
    stat,
    told,
    whole,
    word,
)
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Line, block, profile
from yavik.core.methods.compare.repeated.data import Subjects, by_group, design_of
from yavik.core.methods.compare.repeated.spec import RepeatedSpec
from yavik.core.methods.compare.repeated.words import test_of
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.pairwise import ranks_within
from yavik.core.stats.within import Friedman, Repeated, estimated_times
from yavik.core.stats.within import friedman as friedman_of


def picture(s: Subjects, spec: RepeatedSpec) -> FigureBlock:
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


def within(s: Subjects, r: Repeated, epsilon: float, how: str) -> TableBlock:
    d = finer(s.decimals, r.within[0].error_ss)
    rows = []
    for e in r.within:
        t = test_of(e, epsilon)
        rows.append(
            {
                "term": word(e.term),
                "ss": num(e.ss, d),
                "df1": df_cell(t.df1),
                "df2": df_cell(t.df2),
                "f": stat(t.f),
                "p": p_cell(t.p),
                "partial_eta2": share_cell(e.partial_eta2),
            }
        )
    columns = [
        ("term", "Within subjects<"),
        ("ss", "Sum of squares"),
        ("df1", "df"),
        ("df2", "df of error"),
        ("f", "F"),
        ("p", "p"),
        ("partial_eta2", "Partial η²"),
    ]
    return grid(
        "test",
        "Changes within subjects",
        columns,
        rows,
        note=f"{how[0].upper()}{how[1:]}. Error sum of squares {number(r.within[0].error_ss, d)}.",
    )


def between(r: Repeated) -> TableBlock | None:
    if not r.between:
        return None
    rows = [
        {
            "term": word(e.term),
            "ss": num(e.ss, 2),
            "df1": df_cell(e.df),
            "df2": df_cell(e.error_df),
            "f": stat(e.test.f),
            "p": p_cell(e.test.p),
            "partial_eta2": share_cell(e.partial_eta2),
        }
        for e in r.between
    ]
    columns = [
        ("term", "Between subjects<"),
        ("ss", "Sum of squares"),
        ("df1", "df"),
        ("df2", "df of error"),
        ("f", "F"),
        ("p", "p"),
        ("partial_eta2", "Partial η²"),
    ]
    return grid(
        "anova", "Differences between subjects", columns, rows, note="Each subject's mean over the times; type III."
    )


def means(s: Subjects, spec: RepeatedSpec) -> TableBlock:
    d, rows = s.decimals + 1, []
    for name, y in by_group(s):
        n = len(y)
        for j, time in enumerate(s.times):
            m, sd = float(y[:, j].mean()), float(y[:, j].std(ddof=1)) if n > 1 else np.nan
            reach = float(stats.t.isf(spec.alpha / 2, n - 1)) * sd / np.sqrt(n) if n > 1 else np.nan
            group = {"group": word(name)} if s.group is not None else {}
            rows.append(
                {
                    **group,
                    "level": word(time),
                    "n": whole(n),
                    "mean": num(m, d),
                    "sd": num(sd, d, "one subject"),
                    **ci_cells(m - reach, m + reach, d, "one subject"),
                }
            )
    columns = [
        *([("group", f"{s.group_title}<")] if s.group is not None else []),
        ("level", f"{s.time_title[0].upper()}{s.time_title[1:]}<"),
        ("n", "n"),
        ("mean", "Mean"),
        ("sd", "SD"),
        ci_head(spec.alpha),
    ]
    return grid("means", "Means" + (f" ({s.unit})" if s.unit else ""), columns, rows, folded=len(rows) > 12)


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
    d, why = max(s.decimals + 1, told(s.decimals, *se.tolist())), "all differences are the same"
    rows = [
        {
            "pair": word(f"{s.times[a[i]]} – {s.times[b[i]]}"),
            "group_a": word(s.times[a[i]]),
            "group_b": word(s.times[b[i]]),
            "difference": num(float(mean[i]), d),
            **ci_cells(float(mean[i] - reach[i]), float(mean[i] + reach[i]), d),
            "t": stat(float(value[i]), why),
            "p": p_cell(float(p[i]), why),
            "p_adjusted": p_cell(float(adjusted[i]), why),
        }
        for i in range(len(a))
    ]
    columns = [
        ("pair", "Pair<"),
        ("difference", "Difference" + (f" ({s.unit})" if s.unit else "")),
        ci_head(spec.alpha),
        ("t", "t"),
        ("p_adjusted", "adjusted p"),
    ]
    held = f", {listing([lower(c) for c in s.covariate_titles])} held at the mean" if s.covariate_titles else ""
    note = (
        "Each pair has the spread of its own"
        f" differences{', taken within groups that count alike' if s.group is not None else ''}{held}; p by Holm,"
        f" intervals by Bonferroni, {free} df."
    )
    return grid(
        "pairs",
        "Every time with every other",
        columns,
        rows,
        note=note,
        marked=[i for i in range(len(a)) if adjusted[i] < spec.alpha],
        folded=len(a) > 15,
    )


def corrections(r: Repeated) -> TableBlock | None:
    """The tests within subjects under each correction."""
    s = r.sphericity
    if s is None:
        return None
    rows = []
    for e in r.within:
        for name, epsilon in (
            ("none, sphericity assumed", 1.0),
            ("Greenhouse–Geisser", s.greenhouse_geisser),
            ("Huynh–Feldt", s.huynh_feldt),
            ("lower bound", s.lower_bound),
        ):
            t = e.corrected(epsilon)
            rows.append(
                {
                    "term": word(e.term),
                    "correction": word(name),
                    "epsilon": num(epsilon, 3),
                    "df1": df_cell(t.df1),
                    "df2": df_cell(t.df2),
                    "f": stat(t.f),
                    "p": p_cell(t.p),
                }
            )
    columns = [
        ("term", "Within subjects<"),
        ("correction", "Correction<"),
        ("epsilon", "ε"),
        ("df1", "df"),
        ("df2", "df of error"),
        ("f", "F"),
        ("p", "p"),
    ]
    return grid("tests", "The same tests under each correction", columns, rows, folded=True)


def by_friedman(s: Subjects, *, folded: bool = True) -> TableBlock | None:
    if s.group is not None or s.y.shape[1] < 2 or len(s.y) < 2:
        return None
    found = friedman_of(s.y)
    if not np.isfinite(found.chi2):
        return None
    rows = [
        {
            "term": word(s.time_title),
            "chi2": stat(found.chi2),
            "df": df_cell(found.df),
            "p": p_cell(found.p),
            "w": num(found.w, 2),
        }
    ]
    columns = [("term", "<"), ("chi2", "χ²"), ("df", "df"), ("p", "p"), ("w", "Kendall's W")]
    return grid(
        "test" if not folded else "ranks",
        "By ranks within subjects, Friedman",
        columns,
        rows,
        note="χ² corrected for ties.",
        folded=folded,
    )


def rank_pairs(s: Subjects, spec: RepeatedSpec, f: Friedman) -> TableBlock:
    found = ranks_within(f, len(s.y), "holm")
    rows = [
        {
            "pair": word(f"{s.times[found.a[m]]} – {s.times[found.b[m]]}"),
            "difference": num(float(found.difference[m]), 2),
            "z": stat(float(found.statistic[m])),
            "p": p_cell(float(found.p[m])),
            "p_adjusted": p_cell(float(found.p_adjusted[m])),
        }
        for m in range(len(found.p))
    ]
    columns = [
        ("pair", "Pair<"),
        ("difference", "Difference of mean ranks"),
        ("z", "z"),
        ("p_adjusted", "adjusted p"),
    ]
    return grid(
        "pairs",
        "Every time with every other, by ranks",
        columns,
        rows,
        note="p by Holm.",
        marked=[m for m in range(len(rows)) if found.p_adjusted[m] < spec.alpha],
    )


def facts(s: Subjects, r: Repeated, epsilon: float, p: float) -> dict[str, Any]:
    out: dict[str, Any] = {
        "p": p,
        "n": len(s.y),
        "times": s.y.shape[1],
        "epsilon": epsilon,
        "estimate": float(np.ptp(estimated_times(s.y, design_of(s)).means)),
    }
    for i, e in enumerate(r.within):
        name = "within" if i == 0 else f"within:{e.term.split(' × ', 1)[1]}"
        t = test_of(e, epsilon)
        out |= {
            f"{name}.ss": e.ss,
            f"{name}.f": e.test.f,
            f"{name}.df1": t.df1,
            f"{name}.df2": t.df2,
            f"{name}.p": t.p,
            f"{name}.p_uncorrected": e.test.p,
        }
    out["within.error_ss"] = r.within[0].error_ss
    for e in r.between:
        out |= {f"between:{e.term}.f": e.test.f, f"between:{e.term}.p": e.test.p, f"between:{e.term}.ss": e.ss}
    if r.sphericity:
        out |= {
            "mauchly.w": r.sphericity.w,
            "mauchly.p": r.sphericity.p,
            "epsilon.gg": r.sphericity.greenhouse_geisser,
            "epsilon.hf": r.sphericity.huynh_feldt,
        }
    return out


def rank_facts(s: Subjects, f: Friedman) -> dict[str, Any]:
    return {
        "p": f.p,
        "n": len(s.y),
        "friedman.chi2": f.chi2,
        "friedman.p": f.p,
        "friedman.w": f.w,
        "friedman.f": f.f.f if f.f else np.nan,
    }
