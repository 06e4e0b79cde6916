"""How does a measurement depend on terms, in rows that belong together? Mixed models of units within units and of
subjects over time."""

from typing import Any

import numpy as np

from yavik.core.answers import Answer, FigureBlock, Marks, NoteBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.model_card import ModelCard
from yavik.core.answers.wording import decimals_of, grouped, listing, number
from yavik.core.figures.caption import lower
from yavik.core.figures.designs import LevelOfUnits, hierarchy
from yavik.core.figures.plots import Line, apart, block, profile
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.columns import measured
from yavik.core.methods.kit.models.coefficients import coefficients as coefficients_of
from yavik.core.methods.kit.models.coefficients import lower_term
from yavik.core.methods.kit.models.effects import main_number, main_picture
from yavik.core.methods.kit.models.fitting import model_name
from yavik.core.methods.kit.models.means import MOST_CELLS, cells_of
from yavik.core.methods.kit.models.reading import for_every_row
from yavik.core.methods.kit.models.tables import effect_blocks, words_table
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import residual_pictures
from yavik.core.methods.nested.mixed import covariances, tables, words
from yavik.core.methods.nested.mixed.checks import all_checks
from yavik.core.methods.nested.mixed.design import units_of
from yavik.core.methods.nested.mixed.fit import MixedModel, fit_model
from yavik.core.methods.nested.mixed.guessing import suits
from yavik.core.methods.nested.mixed.simulate import LEVELS, Simulated, simulate
from yavik.core.methods.nested.mixed.spec import COVARIANCES, MixedSpec
from yavik.core.methods.nested.mixed.spreads import spreads
from yavik.core.methods.nested.mixed.strata import level_of, nested_order, strata
from yavik.core.stats.numbering import paired
from yavik.core.table import Column, Kind, Table


def compute(table: Table, spec: MixedSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for what cannot be fitted."""
    m = fit_model(table, spec, run.progress)
    spans, short = words.headline(m)
    run.say(spans)
    found = coefficients_of(m.fitted, spec.per)
    components = spreads(m, run.progress)
    drawn = simulate(m, run.progress) if spec.simulate else None
    run.progress(0.9, "Tables, pictures and checks")
    tried = covariances.covariances(m)
    classical = strata(m) if m.over_units else None
    scale = tables.scale_of(m)
    best = min((t.p for t in m.tests if t), default=None)
    return compose(
        spans,
        short=short,
        settings=_settings(m),
        facts=tables.facts(m, found, components) | _simulated_facts(drawn),
        blocks=[
            _main(m),
            _design_picture(m),
            tables.terms_table(m, classical),
            *_simulated(m, drawn),
            tables.variances_table(m, components),
            covariances.table(m, tried),
            covariances.picture(m),
            tables.how_it_fits(m),
            tables.coefficients(m, found),
            words_table(m.fitted, found, lambda c: words.sentence(m, c)),
            *effect_blocks(m.fitted, spec, scale, m.data.decimals + 1),
            words.write_up(m, components),
            tables.strata_table(m, classical),
            tables.times_table(m),
            *tables.units_tables(m),
            *residual_pictures(m.conditional, m.whitened, m.data.rows, None),
        ],
        checks=all_checks(m, tried, drawn),
        rows=m.data.used,
        marks=Marks(p=q.p_said(best)) if best is not None else Marks(),
        model=tables.card(m, found),
        seed=spec.seed if spec.simulate else None,
    )  # fmt: skip


def _settings(m: MixedModel) -> list[str]:
    spec = m.spec
    made = ["mixed model by restricted likelihood" if m.restricted else "mixed model by full likelihood"]
    made += [tables.DF_WORDS[m.df_kind]]
    if spec.over_time:
        made.append(
            f"{COVARIANCES[spec.covariance].split(':')[0]} within {lower(m.table.column(spec.subject or '').title)}"
        )
        if spec.spread != "same" and spec.covariance != "unstructured":
            made.append({"by_time": "a spread for each time", "by_group": "a spread for each group"}[spec.spread])
    made += ["no intercept"] if not spec.intercept else []
    made += ["numbers counted from their means"] if m.data.design.about else []
    return made


def _design_picture(m: MixedModel) -> FigureBlock | None:
    """Units within units with their counts, and what changes at each level."""
    order = nested_order(m.random) if m.random else None
    if m.spec.over_time and m.spec.subject and not m.random:
        codes, labels = units_of(m.table, m.data, [m.spec.subject])
        return _drawn_levels(
            m, [(lower(m.table.column(m.spec.subject).title), codes, len(labels), _changing(m, codes, len(labels)))]
        )
    if order is None:
        return None
    levels = []
    for i in order:
        r = m.random[i]
        changes = [m.data.term_title(t) for k, t in enumerate(m.data.terms) if level_of(m, k) == i]
        levels.append((r.title, r.codes, r.n_units, changes))
    return _drawn_levels(m, levels)


def _changing(m: MixedModel, codes: Any, many: int) -> list[str]:
    """Terms that are the same throughout each subject."""
    out = []
    for term in m.data.terms:
        firsts = [np.zeros(many, np.asarray(m.data.design.data[n]).dtype) for n in term.names]
        same = True
        for first, n in zip(firsts, term.names, strict=True):
            first[codes] = m.data.design.data[n]
            same &= bool(np.all(first[codes] == m.data.design.data[n]))
        out += [m.data.term_title(term)] if same else []
    return out


def _drawn_levels(m: MixedModel, levels: list[Any]) -> FigureBlock:
    made, told = [], {t for *_, changes in levels for t in changes}
    for k, (title, codes, many, changes) in enumerate(levels):
        inner = levels[k + 1][1] if k + 1 < len(levels) else None
        what = levels[k + 1][0] if k + 1 < len(levels) else "row"
        if inner is None:
            n = np.bincount(codes, minlength=many)
        else:
            n = np.bincount(paired(codes, inner)[:, 0], minlength=many)
        low, high = int(n.min()), int(n.max())
        size = str(low) if low == high else f"{low} to {high}"
        inner_words = f"row{'s' if high != 1 else ''}" if inner is None else f"of {what}"
        said = listing(changes, 3) if changes else ""
        made.append(LevelOfUnits(f"{title}: {many}", f"{size} {inner_words} in each", said, many))
    rest = [m.data.term_title(t) for t in m.data.terms if m.data.term_title(t) not in told]
    made.append(LevelOfUnits(f"rows: {grouped(m.data.n)}", "", listing(rest, 3) if rest else "", m.data.n))
    return block("design", "The design", hierarchy(made))


def _main(m: MixedModel) -> FigureBlock | None:
    """Means with their intervals over time, or over what tells most; curves where a measure tells most."""
    names = _shown(m)
    if names is None:
        return main_picture(m.fitted, points=m.data.n < 2000) if m.used else None
    cells = cells_of(m.fitted, names, m.spec.weigh)
    eta, se = m.fitted.sums(cells.rows)
    reach = m.fitted.reach_of(cells.rows) * se
    lost = ~np.asarray(cells.known)
    eta, low, high = (np.where(lost, np.nan, v) for v in (eta, eta - reach, eta + reach))
    groups: dict[tuple[int, ...], list[int]] = {}
    for i, place in enumerate(cells.places):
        groups.setdefault(place[1:], []).append(i)
    lines = [
        Line(
            ", ".join(m.data.factors[n].levels[v] for n, v in zip(names[1:], key, strict=True)) or "mean",
            eta[own].tolist(), low[own].tolist(), high[own].tolist(),
        )
        for key, own in groups.items()
    ]  # fmt: skip
    x, legend = names[0], " × ".join(m.data.title(n) for n in names[1:]) or None
    drawn = profile(lines, list(m.data.factors[x].levels), m.data.title(x), m.fitted.y_title, legend, width=380)
    joined = x == m.spec.time or m.data.columns[x].kind is Kind.ordered
    return block("figure", f"{m.fitted.y_title} over {lower(m.data.title(x))}", drawn if joined else apart(drawn))


def _shown(m: MixedModel) -> list[str] | None:
    """The categories whose means are drawn, that of the axis first; None where a measure tells most."""
    factors, time = m.data.factors, m.spec.time
    if m.spec.over_time:
        if time not in factors:
            return None
        names = [time, *(b for b in m.spec.between if b in factors)]
        return names if int(np.prod([len(factors[n].levels) for n in names])) <= MOST_CELLS else [time]
    if main_number(m.fitted) is not None or not factors:
        return None
    pairs = [t.names for t in m.data.terms if len(t.names) == 2]
    told = {t.names[0]: x.p for t, x in zip(m.data.terms, m.tests, strict=True) if x and len(t.names) == 1}
    names = list(pairs[0]) if pairs else [min(told, key=lambda n: told[n])] if told else [next(iter(factors))]
    # What has an order goes along the axis, else what has more levels.
    names.sort(key=lambda n: (m.data.columns[n].kind is not Kind.ordered, -len(factors[n].levels)))
    return names if int(np.prod([len(factors[n].levels) for n in names])) <= MOST_CELLS else names[:1]


def _simulated(m: MixedModel, drawn: Simulated | None) -> list[TableBlock | NoteBlock]:
    """Observed beside simulated beside textbook."""
    if drawn is None:
        return []
    rows, unit = [], m.data.response.unit
    for c in drawn.lines:
        contrast = np.isfinite(c.estimate)
        d = decimals_of(c.se, c.estimate) if contrast else 1
        row = q.row(
            term=q.name(c.label if contrast else f"{drawn.title}, {c.label}", "Test"),
            observed=q.stat(c.observed, "Seen"),
        )
        for level, value in zip(LEVELS, c.quantiles, strict=True):
            row[f"quantile_{round(100 * level)}"] = q.num(float(value), 2, f"{round(100 * (1 - level))} % simulated")
        row["textbook"] = q.num(float(c.textbook[1]), 2, "5 % textbook")
        row |= q.row(p=q.p(c.p), p_error=q.num(c.error, 3, "± (SE)"), p_textbook=q.p(c.textbook_p, "Textbook p"))
        row["estimate"] = q.est(c.estimate, d, "Difference", unit) if contrast else q.blank("Difference")
        row["smallest"] = q.num(c.smallest, d, "Smallest shown") if contrast else q.blank("Smallest shown")
        rows.append(row)
    has = any(np.isfinite(c.estimate) for c in drawn.lines)
    order = [k for k in rows[0] if has or k not in ("estimate", "smallest")]
    note = f"{drawn.draws} draws from the model without {lower_term(drawn.title)}, with the covariance of the whole"
    note += f" model, seed {m.spec.seed}; the whole model fitted to each. F is Wald’s χ² over its df."
    note += " p = (hits + 1)/(draws + 1)."
    if has:
        note += " Smallest shown: the difference that would just be claimed at α."
    table = q.table("simulated", "Critical values by simulation", rows, note=note, strong=["p"], order=order)
    line = drawn.lines[0]
    verdict = (
        f"nothing speaks for keeping {lower_term(drawn.title)}"
        if line.p >= m.spec.alpha
        else f"{lower_term(drawn.title)} is needed"
    )
    needed = number(float(line.quantiles[1]), 2)
    said = f"By simulation: F {number(line.observed, 2)} seen, {needed} needed at 5 %: {verdict}."
    return [NoteBlock(id="simulated_words", text=said), table]


def _simulated_facts(drawn: Simulated | None) -> dict[str, Any]:
    if drawn is None:
        return {}
    out: dict[str, Any] = {"simulated.draws": drawn.draws}
    for i, c in enumerate(drawn.lines):
        key = {"F": "simulated.f", "Wald": "simulated.wald"}.get(c.label, f"simulated.contrast_{i - 1}")
        out |= {f"{key}.observed": c.observed, f"{key}.p": c.p}
        out |= {
            f"{key}.quantile_{round(100 * level)}": float(v) for level, v in zip(LEVELS, c.quantiles, strict=True)
        }
    return out


def card(table: Table, spec: MixedSpec) -> ModelCard:
    """Estimates and fit alone, for a line-up."""
    m = fit_model(table, spec, second=False)
    return tables.card(m, coefficients_of(m.fitted, {}))


def new_columns(table: Table, spec: MixedSpec) -> list[tuple[Column, Any]]:
    """Fitted values, residuals and the effects of each row's units."""
    m = fit_model(table, spec, second=False)
    name = m.data.response.name
    fitted, residual = np.full(table.n_rows, np.nan), np.full(table.n_rows, np.nan)
    design, filled = for_every_row(m.data)
    points = np.flatnonzero(filled)
    fitted[points] = m.fitted.sums(m.fitted.rows(design.block(0, len(points))))[0]
    fitted[m.data.places] = m.conditional
    residual[m.data.places] = m.residuals
    made = [
        _column(f"fitted {name}", fitted, m, "what terms and, where they are known, units say"),
        _column(f"residual {name}", residual, m, "row less what terms and units say"),
    ]
    for r, values in zip(m.random, m.effects[0], strict=True):
        for j, effect in enumerate(r.effects):
            own = np.full(table.n_rows, np.nan)
            own[m.data.places] = values[r.codes, j]
            what = "effect" if effect == "level" else f"slope of {effect}"
            made.append(
                _column(f"{what}, {' in '.join(reversed(r.term.units))}", own, m, "predicted, drawn towards zero")
            )
    return made


def _column(name: str, values: Any, m: MixedModel, note: str) -> tuple[Column, Any]:
    return measured(name, values, decimals=m.data.decimals + 2, unit=m.data.response.unit, note=note)


def _name(spec: MixedSpec) -> str:
    if spec.over_time:
        return f"{spec.response} over {spec.time}"
    return model_name(spec) if spec.terms else f"{spec.response} by units"


METHOD = Method(
    id="mixed",
    aim=Aim.nested,
    title="Mixed model: units within units, repeated measurements, random effects",
    layouts=(
        Layout(
            "nested", "units within units",
            "How does {response} depend on {terms}, in rows that belong together by {random}?",
            ("response", "terms", "random"), ("response", "random"),
        ),
        Layout(
            "over_time", "subjects over time",
            "How does {response} change over {time}, by {between}, within each {subject}, with {covariates}?",
            ("response", "time", "between", "subject", "covariates"), ("response", "time", "subject"),
        ),
    ),
    Spec=MixedSpec,
    compute=compute,
    page=read_page(__file__),
    order=1,
    uses=("seed",),
    fit=suits,
    new_columns=new_columns,
    card=card,
    name=_name,
    keywords=(
        "mixed model", "random effects", "multilevel", "hierarchical", "split plot", "repeated measures",
        "longitudinal",
        "variance components", "REML", "nested", "crossed", "random slope", "intraclass correlation", "kenward-roger",
        "satterthwaite", "growth curve", "blocks", "AR(1)", "unstructured",
    ),
)  # fmt: skip
