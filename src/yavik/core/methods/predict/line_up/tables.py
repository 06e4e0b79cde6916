"""The table of a line-up, the tests between neighbours, and what stands beside it."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import Estimate, FitLine, ModelCard, term_changes
from yavik.core.answers.wording import (
    counted,
    decimals_of,
    df,
    grouped,
    level_words,
    listing,
    number,
    p_bare,
    span,
    statistic,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.scale import exp, ratio
from yavik.core.methods.predict.line_up.compute import Against
from yavik.core.methods.predict.line_up.spec import LineUpSpec

CLOSE = 1e-9
OF_LIKELIHOOD = ("aic", "bic", "log_likelihood", "residual_sd")
OF_ZERO = ("r2", "adjusted_r2", "predicted_r2")


def comparable(cards: Sequence[ModelCard], key: str) -> bool:
    """Whether a measure of fit means the same in all these models."""
    if len({c.weights for c in cards}) > 1 or len({c.rows for c in cards}) > 1:
        return False
    if key in OF_LIKELIHOOD and len({c.scale for c in cards}) > 1:
        return False
    if key in OF_ZERO and len({c.intercept for c in cards}) > 1:
        return False
    return not (key in OF_LIKELIHOOD and len({c.penalised for c in cards}) > 1)


@dataclass(frozen=True)
class Lined:
    cards: list[ModelCard]
    names: list[str]
    chosen: int | None

    @property
    def what(self) -> str:
        """What the models are of, within a sentence."""
        card = next((c for c in self.cards if c.effect == "odds_ratio"), self.cards[0])
        return f"the odds of {lower(card.said)}" if card.effect == "odds_ratio" else lower(card.said)


def auto_names(cards: Sequence[ModelCard], given: Sequence[str | None]) -> list[str]:
    """The names given; else what changed from the model before."""
    names: list[str] = []
    for i, card in enumerate(cards):
        name = given[i] or (changed(cards[i - 1], card) if i else f"{counted(len(card.terms), 'term')}")
        names.append(name if name not in names else f"{name} ({i + 1})")
    return names


def changed(before: ModelCard, now: ModelCard) -> str:
    """'+ minutes², − reminders': terms that came and went."""
    words = term_changes(before.terms, now.terms)
    return words or ("other settings" if before.kind == now.kind else now.kind)


def most(cards: Sequence[ModelCard]) -> list[tuple[str, int]]:
    """For the main measures of fit, which model is best."""
    found = []
    for key in ("auc", "adjusted_r2", "predicted_r2", "aic", "bic"):
        values = [next((f for f in c.fit if f.key == key), None) for c in cards]
        best = best_of(values) if comparable(cards, key) else []
        if len(best) == 1:
            title = next(f.title for f in values if f)
            found.append((title if title[:3] in ("AIC", "BIC") else lower(title), best[0]))
    by_model: dict[int, list[str]] = {}
    for title, i in found:
        by_model.setdefault(i, []).append(title)
    return [(listing(titles, 5), i) for i, titles in by_model.items()]


def best_of(values: Sequence[Any]) -> list[int]:
    """Places of the best value; empty where none is better than all others."""
    known = [(f.v, i) for i, f in enumerate(values) if f is not None and f.v is not None]
    better = next((f.better for f in values if f is not None), None)
    if better is None or len(known) < 2:
        return []
    top = (max if better == "high" else min)(v for v, _ in known)
    best = [i for v, i in known if abs(v - top) <= CLOSE * max(1.0, abs(top))]
    return best if len(best) < len(known) else []


def stars(p: float | None) -> str:
    """Marks of a p value, for journals that ask for them."""
    return "" if p is None else "***" if p < 0.001 else "**" if p < 0.01 else "*" if p < 0.05 else ""


def _below(card: ModelCard, e: Estimate, spec: LineUpSpec, odds: bool, d: int) -> str | None:
    """What stands below an estimate: its interval or its standard error."""
    if spec.brackets == "se":
        return f"SE {number(e.se, d)}{' of b' if odds else ''}" if e.se is not None else None
    if e.low is None and e.high is None:
        return None
    low, high = -math.inf if e.low is None else e.low, math.inf if e.high is None else e.high
    return span(low, high, lambda v: ratio(v, e.b) if odds else number(v, d))


def _estimate(card: ModelCard, e: Estimate, spec: LineUpSpec) -> q.Quantity:
    if e.b is None:
        return q.gone(e.why or "has no estimate")
    odds = card.effect != "b" and spec.show == "effects" and e.key != "intercept"
    d = decimals_of(e.se if e.se is not None else np.nan, e.b)
    marks = stars(e.p) if spec.marks == "stars" else ""
    shown = f"{ratio(e.b, e.b) if odds else number(e.b, d)}{marks}"
    strong = e.p is not None and e.p < spec.alpha
    return q.Quantity(exp(e.b) if odds else e.b, shown, below=_below(card, e, spec, odds, d), strong=strong)


def _against(t: Against | None, alpha: float) -> q.Quantity:
    if t is None:
        return q.blank()
    if t.p is None or t.statistic is None:
        return q.gone(t.why or "")
    below = f"{t.letter}({', '.join(map(df, t.df))}) = {statistic(t.statistic)}"
    return q.Quantity(t.p, p_bare(t.p), below=below, strong=t.p < alpha)


def models_table(lined: Lined, tests: list[Against | None], spec: LineUpSpec) -> TableBlock:
    """A column for each model: aligned estimates, measures of fit, tests between neighbours."""
    cards = lined.cards
    keys = [f"m{i}" for i in range(len(cards))]

    def line(title: str, cells: Iterable[q.Quantity], strong: bool = False) -> q.Row:
        """A row of the table, a cell for each model."""
        term = replace(q.name(title, "Term"), strong=strong)
        return {"term": term} | {k: c.under(n) for k, n, c in zip(keys, lined.names, cells, strict=True)}

    rows = []
    for key, title in _aligned(cards):
        own = (next((e for e in card.estimates if e.key == key), None) for card in cards)
        rows.append(line(title, (_estimate(c, e, spec) if e else q.blank() for c, e in zip(cards, own, strict=True))))
    rows.append(line("Fit", (q.blank() for _ in cards), strong=True))
    titles: dict[str, str] = {}
    for measure in (f for c in cards for f in c.fit):
        # R² where another has R² about zero: the check says which.
        titles[measure.key] = min(titles.get(measure.key, measure.title), measure.title, key=len)
    for name, title in titles.items():
        values = [next((f for f in c.fit if f.key == name), None) for c in cards]
        rows.append(line(title, _measures(values, best_of(values) if comparable(cards, name) else [])))
    rows.append(line("Rows", (q.count(c.n) for c in cards)))
    if len(cards) > 1:
        rows.append(line("Against the one before, p", (_against(t, spec.alpha) for t in tests)))
    made = q.table(
        "models", f"Models of {lined.what}", rows, note=_note(lined, spec),
        picked=None if lined.chosen is None else keys[lined.chosen],
    )  # fmt: skip
    for i, head in enumerate(made.columns[1:]):
        head.sub, head.align, head.italic = _size(cards, i), "right", False
    return made


def _measures(values: Sequence[FitLine | None], best: Sequence[int]) -> Iterable[q.Quantity]:
    for i, f in enumerate(values):
        if f is None:
            yield q.blank()
        elif f.v is None:
            yield q.gone("cannot be computed for this model")
        else:
            yield q.Quantity(f.v, f.s, strong=i in best)


def _size(cards: Sequence[ModelCard], i: int) -> str:
    words = counted(len(cards[i].terms), "term")
    if len({c.kind for c in cards}) > 1:
        words = f"{cards[i].kind}, {words}"
    return words


def _aligned(cards: Sequence[ModelCard]) -> list[tuple[str, str]]:
    """Terms in the order of the models; what a later model adds stands after what it stood beside there. The
    intercept comes last, as in print."""
    order: list[str] = []
    titles: dict[str, str] = {}
    for card in cards:
        last = None
        for e in card.estimates:
            if e.key == "intercept":
                continue
            titles.setdefault(e.key, e.title)
            if e.key not in order:
                own = e.key.split("^")[0]
                kin = [i for i, k in enumerate(order) if k.split("^")[0] == own]
                at = kin[-1] + 1 if kin else len(order) if last is None else last + 1
                order.insert(at, e.key)
            last = order.index(e.key)
    found = [(k, titles[k]) for k in order]
    return (
        [*found, ("intercept", "Intercept")]
        if any(e.key == "intercept" for c in cards for e in c.estimates)
        else found
    )


def _note(lined: Lined, spec: LineUpSpec) -> str:
    effects = [c.effect for c in lined.cards if c.effect != "b"] if spec.show == "effects" else []
    ratios = "Odds ratios" if "odds_ratio" in effects else "Rate ratios"
    what = f"{ratios} (intercept: b)" if effects else "Coefficients b"
    if effects and len(effects) < len(lined.cards):
        what = f"{ratios} (intercept: b), of linear models b"
    under = f"{level_words(spec.alpha)} intervals" if spec.brackets == "ci" else "standard errors"
    note = (
        f"{what}, {under} below. In bold: p below {str(spec.alpha).removeprefix('0')}, and the best value of each row"
        " of fit."
    )
    if spec.marks == "stars":
        note += " * p < .05, ** p < .01, *** p < .001."
    note += " A measure’s estimate is for one unit more; a level’s is against its reference."
    for name, card in zip(lined.names, lined.cards, strict=True):
        note += f" {name}: {card.counted_from[0].lower()}{card.counted_from[1:]}" if card.counted_from else ""
    return note


def checks(lined: Lined, tests: list[Against | None], same: bool, spec: LineUpSpec) -> list[Check | None]:
    """Whether the models can be compared at all."""
    cards = lined.cards
    if same:
        rows = Check(
            id="same_rows",
            title="The same rows",
            verdict=Verdict.holds,
            text=f"All models use the same {counted(cards[0].n, 'row')}.",
        )
    else:
        sizes = listing([grouped(n) for n in dict.fromkeys(c.n for c in cards)], 6)
        remedies = [Remedy(label="Use the same rows for all", spec={"rows": "same"})] if spec.rows == "own" else []
        rows = Check(
            id="same_rows", title="The same rows", verdict=Verdict.fails, remedies=remedies,
            text=f"The models use different rows ({sizes}): AIC, BIC and areas are of different data, and no test"
                 " can stand between them.",
        )  # fmt: skip
    return [rows, _footing(lined), _nested(tests, all(c.log_likelihood is not None for c in cards)), _many(cards)]


def _footing(lined: Lined) -> Check | None:
    """What may not be compared, and why."""
    cards, names = lined.cards, lined.names
    said = []
    if len({c.weights for c in cards}) > 1:
        with_ = [f"“{n}” by {c.weights}" for n, c in zip(names, cards, strict=True) if c.weights]
        said.append(
            f"{listing(with_, 4)} {'is' if len(with_) == 1 else 'are'} weighted, the others are not, or otherwise: no"
            " measure of fit can be set side by side"
        )
    if len({c.intercept for c in cards}) > 1:
        without = [f"“{n}”" for n, c in zip(names, cards, strict=True) if not c.intercept]
        said.append(
            f"{listing(without, 4)} {'has' if len(without) == 1 else 'have'} no intercept: R² there is about zero and"
            " larger by its making"
        )
    if len({c.penalised for c in cards}) > 1:
        with_ = [f"“{n}”" for n, c in zip(names, cards, strict=True) if c.penalised]
        said.append(
            f"{listing(with_, 4)} {'is' if len(with_) == 1 else 'are'} penalised: its likelihood, AIC and BIC are not"
            " those of the others"
        )
    restricted = [f"“{n}”" for n, c in zip(names, cards, strict=True) if c.likelihood_of == "restricted"]
    if restricted and len({c.scale for c in cards}) > 1:
        said.append(
            f"{listing(restricted, 4)} {'is' if len(restricted) == 1 else 'are'} fitted by the restricted likelihood,"
            " which can be set beside restricted likelihoods of the same terms only: fit by the full likelihood (ML) to"
            " compare"
        )
    if len({c.likelihood_of for c in cards} - {"restricted"}) > 1:
        said.append(
            "likelihood, AIC and BIC are of a density where the response is taken as a measure, and of probabilities"
            " where it is taken as a count: one cannot be set beside the other"
        )
    if not said:
        return None
    text = (
        ". ".join(s[0].upper() + s[1:] for s in said) + ". Where measures are not comparable none is marked as best."
    )
    return Check(id="footing", title="On one footing", verdict=Verdict.fails, text=text)


def _nested(tests: list[Against | None], likelihoods: bool) -> Check | None:
    lacking = [i + 1 for i, t in enumerate(tests) if t is not None and t.p is None]
    if len(tests) < 2:
        return None
    if not lacking:
        return Check(
            id="nested",
            title="Each within the next",
            verdict=Verdict.holds,
            text="Neighbours hold one another’s terms, so that a test can stand between them.",
        )
    why = next(t.why for t in tests if t is not None and t.p is None)
    text = (
        f"Model {listing([str(i) for i in lacking], 6)} cannot be tested against the one before: {why}."
        f"{' AIC and BIC still compare them.' if likelihoods else ''}"
    )
    return Check(id="nested", title="Each within the next", verdict=Verdict.doubtful, text=text)


def _many(cards: Sequence[ModelCard]) -> Check | None:
    if len(cards) < 4:
        return None
    return Check(
        id="choosing", title="Choosing among many", verdict=Verdict.doubtful,
        text=f"With {len(cards)} models looked at, the p values of the one chosen are too good. Say in the report"
             " how it was found.",
    )  # fmt: skip
