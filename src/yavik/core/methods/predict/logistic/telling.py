"""How a model tells yes from no, in tables and pictures: cut-off, ROC curve, calibration."""

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import share, share_fine
from yavik.core.figures.effects import calibration, probabilities, roc_curve
from yavik.core.figures.plots import block
from yavik.core.methods.kit.touch import handle
from yavik.core.methods.predict.logistic.fit import BinaryModel
from yavik.core.methods.predict.logistic.spec import LogisticSpec
from yavik.core.stats.telling import Calibration


def classification_table(m: BinaryModel, spec: LogisticSpec) -> TableBlock:
    """Rows told and missed at the cut-off."""
    at = m.at_cutoff

    def line(name: str, yes: int, no: int, right: float, what: str) -> q.Row:
        """Rows of one outcome by what is said of them."""
        return q.row(
            group=q.name(name, m.data.response.title), yes=q.count(yes, f"Said {m.event}"),
            no=q.count(no, f"Said {m.other}"),
            right=q.part(right, "Right"), what=q.said(what),
        )  # fmt: skip

    rows = [
        line(f"Seen {m.event}", at.hits, at.misses, at.sensitivity, "sensitivity"),
        line(f"Seen {m.other}", at.alarms, at.rejections, at.specificity, "specificity"),
        line("All", at.hits + at.alarms, at.misses + at.rejections, at.right, "told right"),
    ]
    cut = share_fine(spec.cutoff)
    best = best_cutoff(m)
    note = f"{m.event} is said from a probability of {cut} on."
    note += f" Sensitivity and specificity together are largest at {share_fine(best)}." if best is not None else ""
    return q.table("classification", f"Told at a cut-off of {cut}", rows, note=note)


def best_cutoff(m: BinaryModel) -> float | None:
    """Where sensitivity + specificity is largest (Youden, 1950)."""
    gain = m.roc.sensitivity - m.roc.false_alarms
    at = float(m.roc.cut[int(np.argmax(gain))])
    return at if np.isfinite(at) else None


def calibration_table(m: BinaryModel, hl: Calibration) -> TableBlock:
    """Groups of rising probability, seen and expected."""
    rows = [
        q.row(
            group=q.name(f"{share_fine(a)} to {share_fine(b)}", "Probability"), n=q.count(n),
            yes=q.count(k, f"Seen {m.event}"), expected=q.num(float(e), 1, "Expected"),
        )
        for a, b, n, k, e in zip(hl.low, hl.high, hl.n, hl.yes, hl.expected, strict=True)
    ]  # fmt: skip
    return q.table("calibration", "Groups by probability (Hosmer–Lemeshow)", rows, folded=True)


def pictures(m: BinaryModel, spec: LogisticSpec, hl: Calibration) -> list[FigureBlock]:
    """The ROC curve, and what is said beside what is seen."""
    at = m.at_cutoff
    drawn = roc_curve(
        m.roc.false_alarms, m.roc.sensitivity, (1 - at.specificity, at.sensitivity), f"area {share(m.roc.auc)}"
    )
    said = probabilities(m.model.mu, m.data.y > 0.5, m.event, m.other)
    told = block("told", "Probabilities, and the cut-off", said, small=True)
    told = handle(told, "cutoff", "Cut-off", spec.cutoff, (0.01, 0.99), decimals=2)
    made = [told, block("roc", f"ROC curve, area {share(m.roc.auc)}", drawn, small=True)]
    if len(hl.n) > 2:
        picture = calibration(hl.expected / hl.n, hl.yes / hl.n, *hl.ends, "Calibration")
        made.append(block("calibration_picture", "Calibration: said and seen", picture, small=True))
    return made
