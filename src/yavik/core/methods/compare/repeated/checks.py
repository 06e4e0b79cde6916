"""Checks beside repeated measures."""

from typing import Any

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import (
    counted,
    number,
    p_words,
    share,
)
from yavik.core.methods.compare.repeated.data import Subjects, by_group
from yavik.core.methods.compare.repeated.spec import RepeatedSpec
from yavik.core.methods.kit.shared import normal_check
from yavik.core.stats.within import Repeated


def checks(s: Subjects, spec: RepeatedSpec, r: Repeated, p: float) -> list[Check]:
    """Whether the answer can be relied on, in the order in which it matters."""
    remedy = (
        [Remedy(label="Compare ranks within subjects", spec={"test": "friedman"})]
        if s.group is None and not s.covariate_titles
        else []
    )
    return [
        _sphericity(spec, r),
        normal_check(r.residuals.ravel(), "the residuals", "Normal residuals", remedy),
        complete(s),
        subjects_check(s),
    ]


def _sphericity(spec: RepeatedSpec, r: Repeated) -> Check:
    base: dict[str, Any] = {"id": "sphericity", "title": "Sphericity: all differences between times spread alike"}
    s = r.sphericity
    if s is None:
        return Check(
            **base, verdict=Verdict.holds, text="With two times there is one difference: nothing can be unlike."
        )
    corrected = spec.correction != "none"
    if s.w is None:
        text = (
            "Mauchly's test needs more subjects than times. ε by Greenhouse and Geisser is"
            f" {share(s.greenhouse_geisser)}."
        )
        return Check(**base, verdict=Verdict.unknown, text=text, facts={"epsilon": s.greenhouse_geisser})
    facts = {"mauchly.w": s.w, "mauchly.p": s.p, "epsilon.gg": s.greenhouse_geisser, "epsilon.hf": s.huynh_feldt}
    text = (
        f"Mauchly's W is {number(s.w, 3)}, p {p_words(s.p)}; ε is {share(s.greenhouse_geisser)} (Greenhouse–Geisser)"
        f" or {share(s.huynh_feldt)} (Huynh–Feldt), 1 at best and {share(s.lower_bound)} at worst."
    )
    if s.p >= 0.05:
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    text += " The df are corrected for it." if corrected else " Uncorrected tests claim too much."
    remedies = [] if corrected else [Remedy(label="Correct the df", spec={"correction": "auto"})]
    return Check(
        **base, verdict=Verdict.doubtful if corrected else Verdict.fails, text=text, facts=facts, remedies=remedies
    )


def complete(s: Subjects) -> Check:
    """Subjects that were left out for a time without a value."""
    base: dict[str, Any] = {"id": "complete", "title": "Complete subjects"}
    if s.left_out:
        share_out = s.left_out / (s.left_out + len(s.y))
        text = (
            f"{counted(s.left_out, 'subject is', 'subjects are')} left out because something of theirs is empty; if"
            " that happened for a reason that goes with the measurement, means are off."
        )
        return Check(
            **base,
            verdict=Verdict.fails if share_out > 0.2 else Verdict.doubtful,
            text=text,
            facts={"left_out": float(s.left_out)},
        )
    return Check(**base, verdict=Verdict.holds, text=f"All {counted(len(s.y), 'subject')} have every time.")


def subjects_check(s: Subjects) -> Check:
    """Whether there are enough subjects, in each group."""
    sizes = [len(y) for _, y in by_group(s)]
    few = min(sizes) < 5
    text = f"{counted(len(s.y), 'subject')} at {len(s.times)} times" + (
        (f", {min(sizes)} in each group." if min(sizes) == max(sizes) else f", {min(sizes)} to {max(sizes)} a group.")
        if s.group is not None
        else "."
    )
    return Check(
        id="group_sizes",
        title="Number of subjects",
        verdict=Verdict.doubtful if few else Verdict.holds,
        text=text,
        facts={"n": len(s.y)},
    )
