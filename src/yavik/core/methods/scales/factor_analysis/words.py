"""Sentences on factors."""

from yavik.core.answers import NoteBlock, Span
from yavik.core.answers.wording import (
    capital,
    counted,
    in_quotes,
    listing,
    number,
    p_words,
    percent,
    say,
    share,
    spelled,
)
from yavik.core.methods.scales.factor_analysis.compute import Factors
from yavik.core.methods.scales.factor_analysis.spec import ROTATIONS
from yavik.core.methods.scales.factor_analysis.tables import LIKE


def many(m: int) -> str:
    """'Two factors'."""
    return capital(f"{spelled(m)} factor{'' if m == 1 else 's'}")


def headline(f: Factors) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    s = f.solution
    verb = "carries" if f.m == 1 else "carry"
    text = f"{many(f.m)} {verb} {percent(s.explained)} of what {counted(f.data.k, 'item')} vary by."
    said = []
    for j, name in enumerate(f.names):
        marker = f.markers[j]
        size = share(float(s.rotated.pattern[marker, j]))
        said.append(f"{name} is marked by {in_quotes(f.data.titles[marker])} ({size})")
    if f.m <= 4:
        text += f" {listing(said, 4)}."
    stray = s.stray(f.spec.hide_below)
    if stray:
        names = listing([in_quotes(f.data.titles[i]) for i in stray], 2)
        text += f" {names} {'belongs' if len(stray) == 1 else 'belong'} to none."
    short = f"{many(f.m).lower()}, {percent(s.explained)} explained"
    if stray:
        short += f", {counted(len(stray), 'stray item')}"
    return say(text), short


def settings(f: Factors) -> list[str]:
    """What was done, for the line under the sentence."""
    how = {"parallel": "more than chance gives", "kaiser": "eigenvalues above 1"}.get(
        str(f.spec.factors), "number chosen"
    )
    turned = ROTATIONS[f.spec.rotation].split(":")[0] if f.m > 1 else "nothing to rotate"
    made = [LIKE[f.spec.extraction], how, turned]
    return made + (["pairs of filled cells"] if f.spec.missing == "pairwise" else [])


def write_up(f: Factors) -> NoteBlock:
    """As methods and results of a paper tell it."""
    s, a = f.solution, f.data.adequacy
    text = (
        f"{counted(f.data.k, 'item')} of {counted(f.data.n, 'respondent')} were factored by {LIKE[f.spec.extraction]}"
    )
    text = text[0].upper() + text[1:]
    if a:
        text += f" (KMO = {share(a.kmo)}; Bartlett’s χ²({a.df}) = {number(a.chi2, 2)}, p {p_words(a.p)})"
    by = {
        "parallel": f"parallel analysis (95th percentile of {f.spec.draws} draws)", "kaiser": "eigenvalues above 1",
    }.get(str(f.spec.factors), "choice")  # fmt: skip
    text += f". The number of factors, {f.m}, was set by {by}."
    if f.m > 1 and f.spec.rotation != "none":
        text += f" Factors were rotated by {ROTATIONS[f.spec.rotation].split(':')[0]}"
        if f.spec.rotation == "oblimin":
            text += f" (delta {f.spec.delta:g})".replace("-", "−")
        if f.spec.rotation == "promax":
            text += f" (power {f.spec.power:g})"
        text += f" {'with' if f.spec.kaiser_normalisation else 'without'} Kaiser’s normalisation."
    text += f" They explain {percent(s.explained)} of the items’ variance;"
    text += f" {percent(s.big)} of the residual correlations exceed .05."
    if f.oblique:
        pairs = [
            f"r = {share(float(s.rotated.phi[i, j]))} between {f.names[i]} and {f.names[j]}"
            for j in range(f.m) for i in range(j)
        ]  # fmt: skip
        text += f" Factors correlate: {listing(pairs, 6)}."
    if s.fit:
        text += f" Fit: χ²({s.fit.df}) = {number(s.fit.chi2, 2)}, p {p_words(s.fit.p)}."
    return NoteBlock(id="write_up", text=text)
