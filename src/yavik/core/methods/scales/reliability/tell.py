"""Tables, sentences, checks and pictures of the reliability of a scale."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, FigureBlock, Remedy, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, level_words, listing, number, percent, say, share, share_fine
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.figures.shades import heat
from yavik.core.methods.scales.reliability.compute import ReliabilityResults

WEAK = 0.3
"""Correlation with the rest below which an item has little to do with the others."""
GAIN = 0.01
LONGER = 1.5
"""How many times longer than another an item must be for the sum to be mostly its own."""
MOST_DRAWN = 40
TURNED = " (turned)"


def names(r: ReliabilityResults) -> list[str]:
    """The items' wordings, the turned ones marked."""
    return [t + (TURNED if a else "") for t, a in zip(r.items.titles, r.items.against, strict=True)]


def headline(r: ReliabilityResults, alpha: float) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    a = r.alpha
    turned_ = int(r.items.against.sum())
    more = f", {turned_} of them turned round," if turned_ else ""
    parts: list[str | Span] = [
        f"The sum of {counted(r.k, 'item')}{more} has a reliability of Cronbach’s α = {share(a.raw)}"
        f" ({level_words(alpha)} CI {share(a.low)} to {share(a.high)})"
    ]
    if np.isfinite(r.omega):
        parts.append(f"; ω of one factor is {share(r.omega)}")
    parts.append(f"; two items correlate at {share(a.mean_r)} on average.")
    best = _best_without(r)
    if best is not None:
        parts.append(f" Without “{r.items.titles[best]}” α would be {share(float(r.without[best]))}.")
    return say(*parts), f"α {share(a.raw)}, {counted(r.k, 'item')}"


def _best_without(r: ReliabilityResults) -> int | None:
    """The item whose leaving raises α most, where it does so at all."""
    if r.k < 3 or not np.isfinite(r.without).all():
        return None
    best = int(np.argmax(r.without))
    return best if r.without[best] > r.alpha.raw + GAIN else None


def whole(r: ReliabilityResults, alpha: float) -> TableBlock:
    """α, ω and the halves."""
    nan, a = float("nan"), r.alpha

    def line(term: str, value: float, low: float = nan, high: float = nan, why: str = "has none here") -> q.Row:
        """One measure; only α has an interval."""
        own = q.row(term=q.name(term, "Measure"), estimate=q.size(value, "Estimate", why))
        return own | q.size_ci(low, high, alpha, "has none here")

    few = "one factor needs three items"
    rows = [
        line("Cronbach’s α", a.raw, a.low, a.high),
        line("α of the standardised items", a.standardised),
        line("ω, one factor", r.omega, why=few),
        line("Mean correlation between two items", a.mean_r),
    ]
    if r.split:
        first, stepped, guttman = r.split
        rows += [
            line("Correlation of the halves", first), line("Halves, stepped up (Spearman–Brown)", stepped),
            line("Guttman’s λ4 of the halves", guttman),
        ]  # fmt: skip
    note = "Interval by Feldt. α is that of the sum of the items in these rows, filled throughout."
    if r.factor and not r.factor.proper:
        note += " The factor explains an item whole, which is no proper solution: do not lean on ω."
    return q.table("reliability", "How well the items hang together", rows, note=note)


def items(r: ReliabilityResults) -> TableBlock:
    """What each item does."""
    rows = []
    for i, (column, title) in enumerate(zip(r.items.columns, names(r), strict=True)):
        loading = float(r.factor.loadings[i]) if r.factor else np.nan
        rows.append(
            q.row(
                item=q.name(title, "Item"), name=q.word(column.name, "Name" if column.label else None),
                mean=q.num(float(r.mean[i]), 2, "Mean"), sd=q.num(float(r.sd[i]), 2, "SD"),
                r_rest=q.size(float(r.rest[i]), "With the rest", "the others’ sum has no spread"),
                loading=q.size(loading, "Loading", "one factor needs three items"),
                alpha_without=q.size(float(r.without[i]), "α without it", "one item would be left"),
            )
        )  # fmt: skip
    note = "With the rest: correlation with the sum of the other items. Loading: on one factor by maximum likelihood."
    if r.items.against.any():
        ends = f"{number(r.items.low + r.items.high, 0)} − x"
        note += f" Turned items as {ends}; the table itself stays as it is."
    return q.table("items", "Item by item", rows, note=note)


def rest_picture(r: ReliabilityResults) -> FigureBlock | None:
    """Each item’s correlation with the rest, with its interval."""
    if r.k > MOST_DRAWN or r.n < 4:
        return None
    bars = [
        Bar(title, float(value), float(low), float(high), float(value) >= WEAK)
        for title, value, (low, high) in zip(names(r), r.rest, r.rest_ends, strict=True)
    ]
    return block("figure", "Each item with the rest", forest(bars, "Correlation with the other items", at=WEAK))


def correlations(r: ReliabilityResults) -> FigureBlock | None:
    """Every item with every other."""
    if r.k > MOST_DRAWN:
        return None
    m = r.correlations
    short = [c.name + (TURNED if a else "") for c, a in zip(r.items.columns, r.items.against, strict=True)]
    texts = [[share(float(v)) for v in row] for row in m]
    low = np.tril_indices(r.k, -1)
    said = f"from {share(float(m[low].min()))} to {share(float(m[low].max()))}"
    drawn = heat(short, m, texts, f"Shaded matrix of the items’ correlations, {said}.")
    return block("correlations", "Every item with every other", drawn, small=r.k > 3)


def _also(r: ReliabilityResults) -> list[str]:
    """Names of items that look turned in the data, however they were taken."""
    return [c.name for c, rest in zip(r.items.columns, r.rest, strict=True) if rest < 0]


def checks(r: ReliabilityResults, total: int) -> list[Check]:
    """Items the wrong way round or astray, one factor or more, rows."""
    made = [_turned(r), _lengths(r), _astray(r), _one_thing(r), _rows(r, total)]
    return [c for c in made if c is not None]


def _turned(r: ReliabilityResults) -> Check:
    base: dict[str, Any] = {"id": "reversed", "title": "Items the same way round"}
    columns = [c for c, a in zip(r.items.columns, r.items.against, strict=True) if a]
    if columns and r.items.found:
        said = listing([f"“{c.title}” ({c.name})" if c.label else c.name for c in columns], 4)
        runs = "runs" if len(columns) == 1 else "run"
        text = f"{said} {runs} against the others and {'is' if len(columns) == 1 else 'are'} turned round here."
        step = {"step": "reverse", "columns": [c.name for c in columns], "low": r.items.low, "high": r.items.high}
        remedies = [
            Remedy(label="Turn in the table", step=step),
            Remedy(label="Take them as they are", spec={"reversed": []}),
        ]
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=remedies)
    wrong = _also(r)
    if wrong and not r.items.found:
        text = f"{listing(wrong, 4)} {'runs' if len(wrong) == 1 else 'run'} against the others as taken here."
        remedies = [Remedy(label="Find out by themselves", spec={"reversed": "auto"})]
        return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)
    return Check(**base, verdict=Verdict.holds, text="No item runs against the others.")


def _astray(r: ReliabilityResults) -> Check:
    base: dict[str, Any] = {"id": "astray", "title": "Items that belong"}
    weak = [i for i in np.argsort(r.rest) if r.rest[i] < WEAK]
    if not weak:
        lowest = float(np.nanmin(r.rest))
        return Check(**base, verdict=Verdict.holds, text=f"Every item goes with the rest (lowest {share(lowest)}).")
    said = listing([f"“{r.items.titles[i]}” ({share_fine(float(r.rest[i]))})" for i in weak], 4)
    text = f"Little to do with the rest, below {share(WEAK)}: {said}."
    remedies = []
    if r.k > 3:
        gone = r.items.columns[int(weak[0])]
        kept = [c.name for c in r.items.columns if c is not gone]
        change: dict[str, Any] = {"items": kept}
        if not r.items.found:
            change["reversed"] = [
                c.name for c, a in zip(r.items.columns, r.items.against, strict=True) if a and c is not gone
            ]
        remedies = [Remedy(label=f"Leave out {gone.name}", spec=change)]
    verdict = Verdict.fails if r.rest[weak[0]] < 0.1 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, remedies=remedies, facts={"weak": float(len(weak))})


def _lengths(r: ReliabilityResults) -> Check | None:
    """Items answered on scales of different length: the long ones decide the sum."""
    spans = r.items.lengths
    if max(spans) < LONGER * min(spans):
        return None
    base: dict[str, Any] = {"id": "lengths", "title": "Items of one length"}
    short, long = min(spans), max(spans)
    a, b = (r.items.columns[spans.index(v)].name for v in (short, long))
    text = f"Answers to {a} run over {number(short, 0)} steps, those to {b} over {number(long, 0)}: the sum is mostly"
    text += " that of the longer"
    text += f" items. α of the standardised items is {share(r.alpha.standardised)}."
    if r.items.against.any():
        text += " Turning them within one range moves the shorter ones: turn them in the table, each within its own."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _one_thing(r: ReliabilityResults) -> Check:
    """More eigenvalues than chance has: α speaks of a sum of several things."""
    base: dict[str, Any] = {"id": "one_factor", "title": "One thing measured"}
    if not np.isfinite(r.chance).all():
        return Check(**base, verdict=Verdict.unknown, text="Too few items or rows to look for more than one factor.")
    more = 0
    for value, limit in zip(r.eigenvalues, r.chance, strict=True):
        if value <= limit:
            break
        more += 1
    first = percent(float(r.eigenvalues[0] / r.k))
    facts = {"factors": float(more), "eigenvalue_1": float(r.eigenvalues[0]), "eigenvalue_2": float(r.eigenvalues[1])}
    size = f"eigenvalues {number(float(r.eigenvalues[0]), 2)}, {number(float(r.eigenvalues[1]), 2)}, …"
    if more <= 1:
        text = f"One factor stands out beside chance ({size}); it carries {first} of the items’ variance."
        verdict = Verdict.holds if more else Verdict.fails
        if not more:
            text = f"No factor stands out beside chance ({size}): these items have nothing in common to speak of."
        return Check(**base, verdict=verdict, text=text, facts=facts)
    text = (
        f"{counted(more, 'factor')} stand out beside chance ({size}): the items measure more than one thing, and α of"
        " their sum hides that. Ask which items go together before adding them up."
    )
    return Check(**base, verdict=Verdict.doubtful, text=text, facts=facts)


def _rows(r: ReliabilityResults, total: int) -> Check:
    lost = total - r.n
    text = f"{counted(r.n, 'row')} with all items filled"
    text += f", {counted(lost, 'row')} left out ({percent(lost / total)})." if lost else "."
    verdict = Verdict.holds
    if r.n < 100 or r.n < 5 * r.k:
        verdict = Verdict.doubtful
        text += " With so few the items’ correlations are known roughly: read the interval."
    elif lost > 0.2 * total:
        verdict = Verdict.doubtful
        text += " So many that those left may answer otherwise."
    return Check(id="complete", title="Rows", verdict=verdict, text=text, facts={"n": float(r.n)})


def facts(r: ReliabilityResults) -> dict[str, Any]:
    """Numbers by name."""
    a = r.alpha
    out: dict[str, Any] = {
        "n": r.n, "items": r.k, "cronbach_alpha": a.raw, "cronbach_alpha.ci_low": a.low,
        "cronbach_alpha.ci_high": a.high,
        "standardised_alpha": a.standardised, "omega": r.omega, "mean_r": a.mean_r, "estimate": a.raw,
        "reversed": int(r.items.against.sum()),
    }  # fmt: skip
    if r.split:
        out |= {"split.r": r.split[0], "split.spearman_brown": r.split[1], "split.lambda4": r.split[2]}
    for i, column in enumerate(r.items.columns):
        name = column.name
        out |= {
            f"{name}.mean": r.mean[i],
            f"{name}.sd": r.sd[i],
            f"{name}.r_rest": r.rest[i],
            f"{name}.alpha_without": r.without[i],
        }
    return out
