"""The sentence, tables and pictures of exponential smoothing; nothing is computed here."""

from typing import Any

from yavik.core.answers import NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after, capital, counted, decimals_of, number, p_words, say, share
from yavik.core.figures.courses import over_time
from yavik.core.figures.plots import block
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.leftover import residual_blocks
from yavik.core.methods.kit.outlook import (
    fan_block,
    forecast_table,
    foretells,
    held_facts,
    held_words,
    rhythm,
    time_of,
    title_of,
    yardstick_table,
)
from yavik.core.methods.time.smoothing.compute import Smoothing

BANDS = (
    "Bands hold the errors to come, the weights taken as known; by formula where parts add up, else by 20 000 paths"
)
BANDS += " drawn, always the same."
NOTE = "All are of the same values, so AICc compares them all; the least is taken. σ is the root mean square of"
NOTE += (
    " one-step errors: in the series’ unit where they are added, as a part of what was expected where they multiply."
)


def headline(s: Smoothing) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    n = counted(len(s.tried), "combination")
    text = f"{s.series.column.title} is smoothed with {s.taken.key}"
    if s.taken is not s.chosen:
        text += f"; {s.chosen.key} would have the least AICc of {n}."
    elif len(s.tried) > 1:
        text += f", which has the least AICc of {n}."
    else:
        text += "."
    return say(text + foretells(s.outlook)), f"{s.taken.kind.words}, {s.series.long}"


def settings(s: Smoothing) -> list[str]:
    """What was done, for the line under the sentence."""
    made = [rhythm(s.series, s.spec.doubled), s.series.long]
    made.append(f"season of {s.season}" if s.season > 1 else "no season")
    if s.outlook.held:
        made.append(f"{counted(s.outlook.held, 'point')} held out")
    return made


def blocks(s: Smoothing) -> list[Any]:
    """Everything below the sentence."""
    level = over_time(
        s.series.labels,
        [("level", s.model.levels)],
        title_of(s.series),
        x_title=time_of(s.series),
        width=520,
        height=130,
    )
    return [
        fan_block(s.outlook), block("level", "The level", level), combinations(s), weights(s),
        forecast_table(s.outlook, BANDS), yardstick_table(s.outlook),
        *residual_blocks(s.series, s.residuals, s.left), _write_up(s),
    ]  # fmt: skip


def combinations(s: Smoothing) -> TableBlock:
    """Every combination of parts with its criteria."""
    rows = []
    standing = [t.made for t in s.tried if t.made]
    best = {k: min(getattr(m, k) for m in standing) for k in ("aic", "aicc", "bic")}
    for t in s.tried:
        cells = q.row(
            parts=q.name(capital(t.kind.words), "Parts"),
            errors=q.said("added" if t.kind.error == "additive" else "as a part", "Errors"),
            key=q.texted(0, t.key, None),
        )
        cells["key"] = q.name(t.key, None)
        if t.made is None:
            cells |= q.row(
                log_likelihood=q.gone(t.why, "Log-likelihood"), aic=q.gone(t.why, "AIC"), aicc=q.gone(t.why, "AICc"),
                bic=q.gone(t.why, "BIC"), sigma=q.gone(t.why, "σ"),
            )  # fmt: skip
        else:
            m = t.made
            cells["log_likelihood"] = q.num(m.log_likelihood, 2, "Log-likelihood")
            for key, title in (("aic", "AIC"), ("aicc", "AICc"), ("bic", "BIC")):
                made = q.num(getattr(m, key), 2, title, why="too few points")
                cells[key] = made.bold if getattr(m, key) == best[key] and len(standing) > 1 else made
            cells["sigma"] = q.num(m.sigma, decimals_of(m.sigma / 100), "σ")
        rows.append(cells)
    made_table = q.table(
        "combinations", "Combinations of parts", rows, note=NOTE, strong=[],
        marked=[i for i, t in enumerate(s.tried) if t is s.taken],
    )  # fmt: skip
    return touch.choose(made_table, "main", "key", "Look at this combination")


def weights(s: Smoothing) -> TableBlock:
    """Smoothing weights and the first states of the model looked at."""
    m, unit = s.model, s.series.column.unit
    p, kind = m.sets, m.kind
    d = decimals_of(m.sigma * (1 if kind.error == "additive" else float(abs(m.fitted).mean())) / 30)
    rows = [_weight("alpha", "Level α", float(p.alpha[0]), "of each error goes into the level")]
    if kind.trend != "none":
        rows.append(_weight("beta", "Slope β", float(p.beta[0]), "of each error goes into the slope"))
    if kind.trend == "damped":
        rows.append(_weight("phi", "Damping φ", float(p.phi[0]), "of the slope is left after each step"))
    if kind.season != "none":
        rows.append(_weight("gamma", "Season γ", float(p.gamma[0]), "of each error goes into its season’s point"))
    first = float(p.level[0]) * m.scale + m.shift
    rows.append(
        q.row(
            name=q.name("First level", "Weight or state"), value=q.num(first, d, "Value"),
            said=q.said(f"before the first point{after(unit) and f', in{after(unit)}'}", "In words"),
        )
    )  # fmt: skip
    if kind.trend != "none":
        slope = float(p.slope[0]) * m.scale
        rows.append(
            q.row(
                name=q.name("First slope", "Weight or state"), value=q.num(slope, d + 1, "Value"),
                said=q.said(f"a {s.series.every if s.series.time else 'step'}", "In words"),
            )
        )  # fmt: skip
    note = (
        "By maximum likelihood, first states with the weights. A weight near 0 leaves a part as it began; near 1 it"
    )
    note += " follows every point. They have no standard errors here."
    return q.table("weights", "Weights and first states", rows, note=note)


def _weight(_key: str, title: str, value: float, words: str) -> q.Row:
    return q.row(
        name=q.name(title, "Weight or state"),
        value=q.fine(value, "Value"),
        said=q.said(f"{share(value)} {words}", "In words"),
    )


def facts(s: Smoothing) -> dict[str, Any]:
    """Numbers by name."""
    m = s.model
    p = m.sets
    out: dict[str, Any] = {
        "n": s.series.n, "model": s.taken.key, "log_likelihood": m.log_likelihood, "aic": m.aic, "aicc": m.aicc,
        "bic": m.bic, "sigma": m.sigma, "alpha": p.alpha[0], "season": s.season,
    }  # fmt: skip
    if m.kind.trend != "none":
        out["beta"] = p.beta[0]
    if m.kind.trend == "damped":
        out["phi"] = p.phi[0]
    if m.kind.season != "none":
        out["gamma"] = p.gamma[0]
    if s.left is not None:
        out |= {"ljung_box.q": s.left.q[-1], "ljung_box.p": s.left.p[-1], "ljung_box.df": len(s.left.q)}
    return out | held_facts(s.outlook)


def _write_up(s: Smoothing) -> NoteBlock:
    m, c = s.model, s.series
    text = (
        f"{c.column.title} ({c.long}, {c.labels[0]} to {c.labels[-1]}) was smoothed exponentially with {s.taken.key}"
    )
    if len(s.tried) > 1:
        text += f", chosen of {counted(len(s.tried), 'combination')} by AICc" if s.taken is s.chosen else ""
    text += f" (α = {share(float(m.sets.alpha[0]))}, AICc {number(m.aicc, 2)})."
    if s.left is not None:
        text += (
            f" Ljung–Box of the residuals over {counted(len(s.left.q), 'lag')}: Q = {number(float(s.left.q[-1]), 2)},"
        )
        text += f" p {p_words(float(s.left.p[-1]))}."
    return NoteBlock(id="write_up", text=text + held_words(s.outlook))
