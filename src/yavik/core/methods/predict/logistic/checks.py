"""Checks beside a model of a yes/no response."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, p_words, percent_fine, share
from yavik.core.methods.kit.checks import independent
from yavik.core.methods.kit.models import checks as shared
from yavik.core.methods.kit.models.terms import spec_term
from yavik.core.methods.predict.logistic.fit import BinaryModel
from yavik.core.methods.predict.logistic.rows import influence
from yavik.core.methods.predict.logistic.spec import LogisticSpec
from yavik.core.stats.binary_profile import score_test
from yavik.core.stats.telling import Calibration

SCALE = {"logit": "log odds", "probit": "probit", "cloglog": "complementary log–log"}


def all_checks(m: BinaryModel, spec: LogisticSpec, hl: Calibration, folds: dict[str, float]) -> list[Check | None]:
    """Whether the answer can be relied on, in the order in which it matters."""
    data = m.data
    used = np.zeros(data.table.n_rows, bool)
    used[data.places] = True
    events = min(float(data.y.sum()), float(len(data.y) - data.y.sum()))
    if not data.terms:
        return [shared.after_selection(spec), independent(data.table.keep(used), data.rows, False)]
    separation = _separation(m, spec)
    firm = separation is None or separation.verdict is Verdict.holds
    return [
        separation,
        _linearity(m) if firm else None,
        _calibration(hl),
        shared.influential(m.data, *influence(m)[:2], spec.where) if firm else None,
        shared.collinearity(data, _vif(m), m.used, spec) if firm else None,
        shared.room(events, len(m.used), f"rows of the rarer {'event' if data.y.mean() < 0.5 else 'outcome'}"),
        _carries(m, folds),
        shared.left_out(data, m.follows),
        shared.after_selection(spec),
        shared.belonging(data),
        shared.zero_of_numbers(data, spec),
        shared.thin_levels(data),
        shared.lost_levels(data),
        independent(data.table.keep(used), data.rows, False),
    ]


def _vif(m: BinaryModel) -> list[float]:
    """From the columns alone, as for a linear model: it is they that are alike."""
    x = m.model.data.x[:, m.model.data.first :]
    x = x - x.mean(axis=0)
    c = x.T @ x / len(x)
    return list(np.diag(np.linalg.pinv(c)) * np.diag(c))


def one_sided_levels(m: BinaryModel) -> list[str]:
    """Levels in which all rows have the event, or none."""
    said = []
    for name, factor in m.data.factors.items():
        codes = m.data.design.data[name]
        n = np.bincount(codes, minlength=len(factor.levels))
        yes = np.bincount(codes, m.data.y, minlength=len(factor.levels))
        for i, level in enumerate(factor.levels):
            if n[i] and yes[i] in (0, n[i]):
                word = m.event if yes[i] else m.other
                said.append(
                    f"all {counted(int(n[i]), 'row')} with {m.data.title(name)} = {level} have"
                    f" {m.data.response.title} = {word}"
                )
    return said


def _separation(m: BinaryModel, spec: LogisticSpec) -> Check | None:
    base: dict[str, Any] = {"id": "separation", "title": "Finite estimates"}
    levels = one_sided_levels(m)
    if spec.penalty == "firth":
        return Check(
            **base, verdict=Verdict.holds, text="The penalised fit (Firth) has finite estimates whatever the data."
        )
    if not m.infinite and m.model.converged:
        text = "The likelihood has one highest point, and no direction of the terms tells rows apart without a miss."
        return Check(**base, verdict=Verdict.holds, text=text + (f" But {levels[0]}." if levels else ""))
    if not m.infinite:
        text = f"The steps did not settle after {m.model.steps} rounds: some estimate is very large or not known."
        verdict = Verdict.doubtful
    else:
        titles = [m.data.column_title(m.used[i]) for i in sorted(m.infinite)]
        kind = "Complete separation" if m.complete else "Quasi-complete separation"
        text = (
            f"{kind}: {listing(titles, 4)} {'tells' if len(titles) == 1 else 'tell'} {m.event} from {m.other} without"
            f" a miss{'' if m.complete else ' in some rows'}, so that the likelihood grows without end and there is"
            " no finite estimate."
        )
        text += f" {levels[0][0].upper()}{levels[0][1:]}." if levels else ""
        verdict = Verdict.fails
    remedies = []
    if spec.link == "logit":
        remedies.append(Remedy(label="Use the penalised fit (Firth)", spec={"penalty": "firth"}))
    return Check(**base, verdict=verdict, text=text, remedies=remedies)


def _linearity(m: BinaryModel) -> Check | None:
    """Would the square of a measure add to the model?"""
    what = f"the {SCALE[m.model.link]} bend{'s' if m.model.link != 'logit' else ''}"
    return shared.straight_enough(
        m.data, lambda x: score_test(m.model, x), what, [spec_term(t) for t in m.data.terms]
    )


def _calibration(hl: Calibration) -> Check:
    base: dict[str, Any] = {"id": "calibration", "title": "Calibration"}
    if not np.isfinite(hl.p):
        return Check(
            **base,
            verdict=Verdict.unknown,
            text="Hosmer–Lemeshow needs more than two groups of different probabilities.",
        )
    facts = {"hosmer_lemeshow.p": hl.p}
    if hl.p >= 0.05:
        text = (
            f"Hosmer–Lemeshow finds no gap between what is said and what is seen in {len(hl.n)} groups (p"
            f" {p_words(hl.p)})."
        )
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    worst = int(np.argmax(np.abs(hl.yes - hl.expected) / hl.n))
    expected, found = float(hl.expected[worst] / hl.n[worst]), float(hl.yes[worst] / hl.n[worst])
    said, seen = share(expected), share(found)
    if said == seen:
        said, seen = percent_fine(expected, expected - found), percent_fine(found, expected - found)
    text = f"Hosmer–Lemeshow finds gaps (p {p_words(hl.p)}): where about {said} is said, {seen} is seen."
    return Check(**base, verdict=Verdict.fails if hl.p < 0.001 else Verdict.doubtful, text=text, facts=facts)


def _carries(m: BinaryModel, folds: dict[str, float]) -> Check | None:
    if "folds.auc" not in folds:
        return None
    seen, unseen = m.roc.auc, folds["folds.auc"]
    gap = seen - unseen
    verdict = Verdict.holds if gap < 0.03 else Verdict.doubtful if gap < 0.08 else Verdict.fails
    text = f"Area {share(seen)} in these rows, {share(unseen)} for rows not seen (ten folds)."
    text += "" if verdict is Verdict.holds else " The model has learned these rows more than their rule."
    return Check(id="carries", title="How far it carries", verdict=verdict, text=text, facts={"gap": gap})
