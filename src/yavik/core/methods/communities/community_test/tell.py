"""The sentence, tables and picture of a test of communities; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, listing, number, p_words, percent, say, share
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.communities.community_test.compute import Tested
from yavik.core.methods.communities.community_test.spec import ABOUT
from yavik.core.methods.compare.groups.spec import ADJUSTED_BY
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.taxa import left_out
from yavik.core.methods.kit.taxa_given import compared_by, dissimilarities, told_of, unlike_words

CAUTION = "PERMANOVA answers to groups that lie elsewhere and to groups that scatter more: read both rows together."


def main_test(t: Tested) -> str:
    """The test that the sentence tells."""
    return "permanova" if t.spec.kind == "all" else t.spec.kind


def headline(t: Tested) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    s, kind = t.samples, main_test(t)
    p = t.ps[kind]
    what = "communities" if s.amounts else "samples"
    if kind == "dispersion":
        claim = f"samples scatter more in some {_of(t)} than in others"
        told = f"F({t.parts.df_between}, {t.parts.df_within}) = {number(t.spread, 2)}"
    elif kind == "anosim":
        claim, told = f"{what} differ between {_of(t)}", f"R = {share(t.r)}"
    else:
        claim = f"{what} differ between {_of(t)}"
        told = f"pseudo-F({t.parts.df_between}, {t.parts.df_within}) = {number(t.parts.f, 2)}"
        told += f", R² = {share(t.parts.r2)}"
    if not np.isfinite(p):
        text = f"Whether {claim} cannot be tested: nothing is left within groups."
        return say(text), "cannot be tested"
    text = f"{claimed(claim, p < t.spec.alpha)} ({told}, p {p_words(p)}"
    text += f" by {counted(t.spec.permutations, 'permutation')})."
    if kind == "permanova":
        text += f" {percent(t.parts.r2)} of the squared dissimilarities lie between them."
    if kind != "dispersion" and np.isfinite(t.ps["dispersion"]) and t.ps["dispersion"] < t.spec.alpha:
        spread = f"(p {p_words(t.ps['dispersion'])})"
        shown = p < t.spec.alpha
        text += f" They scatter unequally as well {spread}, so part of this may be spread." if shown else ""
        text += "" if shown else f" They scatter unequally {spread}."
    short = {"dispersion": "spread"}.get(kind, "communities")
    return say(text), f"{short}, p {p_words(p)}, {counted(s.n, 'sample')}"


def _of(t: Tested) -> str:
    levels = t.samples.levels
    return (
        f"{listing(levels)} ({t.spec.groups})"
        if len(levels) <= 4
        else f"the {counted(len(levels), 'level')} of {t.spec.groups}"
    )


def settings(t: Tested) -> list[str]:
    """What was done, for the line under the sentence."""
    made = [t.samples.counted, *compared_by(t.samples, t.spec)]
    made.append(f"{counted(t.spec.permutations, 'permutation')}")
    if t.blocks:
        made.append(f"within {counted(t.blocks, 'block')} of {t.spec.block}")
    return made


def blocks(t: Tested) -> list[Any]:
    """Everything below the sentence."""
    return [
        _picture(t),
        tests(t),
        pairs(t),
        groups(t),
        dissimilarities(t.samples, t.d),
        left_out(t.samples),
        _write_up(t),
    ]


NONE = "nothing is left within groups"


def tests(t: Tested) -> TableBlock:
    """The tests beside one another; spread always among them."""
    kinds = ["permanova", "anosim", "dispersion"] if t.spec.kind == "all" else [t.spec.kind]
    if "dispersion" not in kinds:
        kinds.append("dispersion")
    rows = []
    for kind in kinds:
        cells = {
            "permanova": q.row(
                test=q.name("PERMANOVA", "Test"),
                statistic=q.num(t.parts.f, 3, "Statistic", role="statistic", why=NONE),
                df=q.said(f"{t.parts.df_between}, {t.parts.df_within}", "df"), r2=q.fine(t.parts.r2, "R²"),
            ),
            "anosim": q.row(
                test=q.name("ANOSIM, R", "Test"), statistic=q.num(t.r, 3, "Statistic", role="statistic", why=NONE),
                df=q.blank("df", "said"), r2=q.blank("R²"),
            ),
            "dispersion": q.row(
                test=q.name("Spread about the middle, F", "Test"),
                statistic=q.num(t.spread, 3, "Statistic", role="statistic", why=NONE),
                df=q.said(f"{t.parts.df_between}, {t.parts.df_within}", "df"), r2=q.blank("R²"),
            ),
        }[kind]  # fmt: skip
        rows.append(cells | q.row(p=q.p(t.ps[kind], why=NONE)))
    note = f"p = (hits + 1)/(permutations + 1). {CAUTION}"
    return q.table("tests", "Tests", rows, note=note)


def pairs(t: Tested) -> TableBlock | None:
    """Every two groups by themselves."""
    if not t.pairs:
        return None
    names = t.samples.levels
    rows = [
        q.row(
            first=q.name(names[m.first], "Group"), second=q.name(names[m.second], "And"),
            between=q.fine(m.between, "Mean dissimilarity"),
            statistic=q.num(m.parts.f, 3, "Pseudo-F", role="statistic", why=NONE),
            r2=q.fine(m.parts.r2, "R²", why=NONE), p=q.p(m.p, "p", NONE),
            p_adjusted=q.p(m.adjusted, "p adjusted", NONE),
        )
        for m in t.pairs
    ]  # fmt: skip
    return q.table("pairs", "Every two groups, by PERMANOVA", rows, note=f"p {ADJUSTED_BY[t.spec.adjust]}.")


def groups(t: Tested) -> TableBlock:
    """Samples, dissimilarity and spread of each group."""
    s = t.samples
    rows = [
        q.row(
            group=q.name(name, t.spec.groups or "Group"), n=q.count(int(s.sizes[g]), "n"),
            inside=q.fine(float(t.inside[g]), "Mean dissimilarity within", why="one sample"),
            away=q.fine(t.mean_away(g), f"Mean distance from {ABOUT[t.spec.about]}"),
            sd=q.fine(t.sd_away(g), "SD", why="one sample"),
        )
        for g, name in enumerate(s.levels)
    ]  # fmt: skip
    return q.table("groups", "Groups", rows)


def _picture(t: Tested) -> FigureBlock:
    s = t.samples
    bars = []
    for g, name in enumerate(s.levels):
        mean, sd, n = t.mean_away(g), t.sd_away(g), int(s.sizes[g])
        reach = sd / np.sqrt(n) if np.isfinite(sd) else 0.0
        bars.append(Bar(name, mean, mean - reach, mean + reach, True))
    return block("spread", f"Distance from {ABOUT[t.spec.about]}, mean ± SE", forest(bars, "Distance", at=None))


def facts(t: Tested) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {
        "n": t.samples.n, "taxa": len(t.samples.taxa), "permanova.f": t.parts.f, "permanova.r2": t.parts.r2,
        "permanova.df1": t.parts.df_between, "permanova.df2": t.parts.df_within, "permanova.p": t.ps["permanova"],
        "anosim.r": t.r, "anosim.p": t.ps["anosim"], "dispersion.f": t.spread, "dispersion.p": t.ps["dispersion"],
        "ss_between": t.parts.between, "ss_within": t.parts.within, "p": t.ps[main_test(t)],
    }  # fmt: skip
    for m in t.pairs:
        name = f"{t.samples.levels[m.first]} - {t.samples.levels[m.second]}"
        out |= {f"{name}.f": m.parts.f, f"{name}.r2": m.parts.r2, f"{name}.p": m.p, f"{name}.p_adjusted": m.adjusted}
    return out


def _write_up(t: Tested) -> NoteBlock:
    s = t.samples
    text = f"{told_of(s, t.spec)} were compared by {unlike_words(s, t.spec)} dissimilarities between {_of(t)}"
    text += f"{f', exchanged within {t.spec.block}' if t.blocks else ''}."
    if np.isfinite(t.ps["permanova"]) and t.spec.kind in ("all", "permanova"):
        text += f" PERMANOVA: pseudo-F({t.parts.df_between}, {t.parts.df_within}) = {number(t.parts.f, 2)},"
        text += f" R² = {share(t.parts.r2)}, p {p_words(t.ps['permanova'])}."
    if np.isfinite(t.ps["anosim"]) and t.spec.kind in ("all", "anosim"):
        text += f" ANOSIM: R = {share(t.r)}, p {p_words(t.ps['anosim'])}."
    if np.isfinite(t.ps["dispersion"]):
        text += f" Distances from {ABOUT[t.spec.about]}: F({t.parts.df_between}, {t.parts.df_within}) ="
        text += f" {number(t.spread, 2)}, p {p_words(t.ps['dispersion'])}"
    return NoteBlock(id="write_up", text=f"{text} ({counted(t.spec.permutations, 'permutation')}).")
