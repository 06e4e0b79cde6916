"""A question asked more than once: for each level of a column, and with and without some rows."""

from collections.abc import Callable
from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, NoteBlock, RowsUsed, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import Block, LeftOut
from yavik.core.answers.make import finite
from yavik.core.answers.wording import counted, listing, plain, say, significant
from yavik.core.methods.base import Method, Run, Spec
from yavik.core.table import DataProblem, Table, rows_in_words

MOST_LEVELS = 30
LOOK = "Compare the two statements."
ORDER = (Verdict.fails, Verdict.doubtful, Verdict.unknown, Verdict.holds)


def for_each(m: Method[Any], table: Table, spec: Spec, run: Run) -> Answer:
    """One answer out of the answers within each level of ``spec.by``."""
    assert spec.by is not None
    coded = table.codes(spec.by)
    if spec.by in m.columns(spec.model_copy(update={"by": None})):
        raise DataProblem(f"{spec.by} already stands in the sentence; it cannot also divide it.", column=spec.by)
    present = [i for i in range(len(coded.levels)) if np.any(coded.codes == i)]
    if len(present) > MOST_LEVELS:
        raise DataProblem(
            f"{spec.by} has {len(present)} levels; the question is repeated for up to {MOST_LEVELS}.", column=spec.by
        )
    found: list[tuple[str, Answer | DataProblem]] = []
    for place, i in enumerate(present):
        name = coded.levels[i]
        part = Run(_told(run, place, len(present), name), run.stopped)
        try:
            found.append((name, m.compute(table.keep(coded.codes == i), spec, part)))
        except DataProblem as problem:
            found.append((name, problem))
    answered = [(name, a) for name, a in found if isinstance(a, Answer)]
    if not answered:
        name, first = found[0]
        assert isinstance(first, DataProblem)
        raise DataProblem(f"{name}: {first.message}", column=first.column, rows=first.rows)
    return _together(spec, table.column(spec.by).title, int((coded.codes < 0).sum()), found, answered)


def _told(run: Run, place: int, of: int, name: str) -> Callable[[float, str], None]:
    """Progress of one level as a part of the whole."""
    return lambda share, what: run.report((place + share) / of, f"{name}: {what}")


def _together(
    spec: Spec,
    title: str,
    empty: int,
    found: list[tuple[str, Answer | DataProblem]],
    answered: list[tuple[str, Answer]],
) -> Answer:
    lines = [f"{name}: {a.short}" for name, a in answered]
    spans = say(
        f"For each {title}: {'; '.join(lines[:4])}{f'; and {len(lines) - 4} more' if len(lines) > 4 else ''}."
    )
    rows = []
    for name, a in found:
        n = q.count(a.rows.used) if isinstance(a, Answer) else q.gone(a.message, "n", "count")
        says = a.headline if isinstance(a, Answer) else f"No answer: {a.message}"
        rows.append(q.row(level=q.name(name, title), n=n, says=q.said(says, "What it says")))
    blocks: list[Block] = [q.table("levels", f"For each {title}", rows)]
    for name, a in answered:
        for block in a.blocks:
            more: dict[str, Any] = {"id": f"{name}.{block.id}"}
            if not isinstance(block, NoteBlock):
                more["title"] = f"{name}: {block.title}"
                more["tab"] = block.tab and block.tab.model_copy(update={"group": f"{name}.{block.tab.group}"})
            if isinstance(block, TableBlock):
                more["folded"] = block.folded or len(answered) > 4
            blocks.append(block.model_copy(update=more))
    left = [LeftOut(why=f"{spec.by} is empty", n=empty)] if empty else []
    return Answer(
        method="",
        version="",
        spec={},
        headline=plain(spans),
        headline_spans=spans,
        short=f"{counted(len(answered), 'level')} of {spec.by}: {answered[0][1].short} …",
        settings=[*answered[0][1].settings, f"for each {title}"],
        facts=finite({f"{name}.{k}": v for name, a in answered for k, v in a.facts.items()}),
        blocks=blocks,
        checks=_checks(answered),
        rows=RowsUsed(total=0, used=sum(a.rows.used for _, a in answered), left_out=left),
        seed=answered[0][1].seed,
    )


def _checks(answered: list[tuple[str, Answer]]) -> list[Check]:
    """Each check once, with the worst verdict, naming the levels where it does not hold."""
    out = []
    for id in dict.fromkeys(c.id for _, a in answered for c in a.checks):
        own = [(name, c) for name, a in answered for c in a.checks if c.id == id]
        worst = min((c.verdict for _, c in own), key=ORDER.index)
        said = [(name, c) for name, c in own if c.verdict is worst]
        if worst is Verdict.holds:
            text = f"Holds in {counted(len(own), 'level')}."
        else:
            text = f"{said[0][0]}: {said[0][1].text}"
            text += f" Likewise {listing([name for name, _ in said[1:]])}." if len(said) > 1 else ""
        remedies = [r for r in said[0][1].remedies if not (r.spec and ("where" in r.spec or "without" in r.spec))]
        out.append(
            Check(
                id=id,
                title=own[0][1].title,
                verdict=worst,
                text=text,
                remedies=[] if worst is Verdict.holds else remedies,
            )
        )
    return out


def with_and_without(m: Method[Any], table: Table, spec: Spec, run: Run, result: Answer) -> None:
    """Adds to an answer what it would be without ``spec.without``: a note that stays with it."""
    run = run.silent
    gone = np.isin(table.rows, spec.without)
    rows = table.rows[gone].tolist()
    title = f"With and without {rows_in_words(rows)}" if rows else "With and without the rows named"
    if not rows:
        result.blocks.append(NoteBlock(id="without", text="None of the rows named for comparison is in use here."))
        return
    rest = table.keep(~gone)
    bare = spec.model_copy(update={"without": []})
    try:
        if rest.n_rows == 0:
            raise DataProblem("Without them no row is left.")
        other: Answer | DataProblem = (
            for_each(m, rest, bare, run) if spec.by and m.repeats else m.compute(rest, bare, run)
        )
    except DataProblem as problem:
        other = problem
    shown = [("All rows", result), (f"Without {counted(len(rows), 'row')}", other)]
    lines = [_line(name, found) for name, found in shown]
    place = next((i for i, b in enumerate(result.blocks) if isinstance(b, TableBlock)), len(result.blocks))
    note = _verdict(result, other, spec.alpha)
    result.blocks.insert(place, q.table("without", title, lines, note=note))
    if isinstance(other, Answer):
        result.facts |= {f"without.{k}": v for k, v in other.facts.items() if k in ("p", "estimate", "n")}


def _line(name: str, found: Answer | DataProblem) -> q.Row:
    if isinstance(found, DataProblem):
        why = found.message
        n, p, says = q.gone(why, "n", "count"), q.gone(why, "p", "p"), why
    else:
        value, n, says = found.facts.get("p"), q.count(found.rows.used), found.headline
        known = isinstance(value, float | int)
        p = q.p(float(value) if known else float("nan"), why="several tests: see the tables")  # type: ignore[arg-type]
    return q.row(what=q.name(name), n=n, p=p, says=q.said(says, "What it says"))


def _verdict(result: Answer, other: Answer | DataProblem, alpha: float) -> str:
    """Yes or no: does leaving the rows out change what is concluded?"""
    if isinstance(other, DataProblem):
        return "Without them the question cannot be answered."
    moved = _moved(result, other, alpha)
    a, b = result.facts.get("p"), other.facts.get("p")
    if not (isinstance(a, float | int) and isinstance(b, float | int)):
        return f"{LOOK} Another conclusion without them: {moved}." if moved else LOOK
    stays = (a < alpha) == (b < alpha)
    said = "The conclusion stays the same" if stays else "The conclusion changes"
    said += f", but not for {moved}" if stays and moved else ""
    x, y = result.facts.get("estimate"), other.facts.get("estimate")
    if isinstance(x, float | int) and isinstance(y, float | int):
        old, new = significant(x, 3), significant(y, 3)
        said += f". The estimate {f'stays at {old}' if old == new else f'goes from {old} to {new}'}"
    return said + "."


def _moved(result: Answer, other: Answer, alpha: float) -> str:
    """Lines of the tables whose p lies on the other side of α in the other answer, by name: 'Bay – Tide (Pairs)'."""
    before, now = _tested(result), _tested(other)
    lines: dict[str, list[str]] = {}
    for (title, name), p in before.items():
        if (title, name) in now and (p < alpha) != (now[title, name] < alpha):
            lines.setdefault(title, []).append(name)
    return "; ".join(f"{listing(names, 3)} ({title})" for title, names in lines.items())


def _tested(answer: Answer) -> dict[tuple[str, str], float]:
    """The p by which each line of each table is judged, the adjusted one where there are two."""
    found: dict[tuple[str, str], float] = {}
    for table in answer.blocks:
        if not isinstance(table, TableBlock):
            continue
        keys = [h.key for h in table.columns if h.role == "p" and h.key in table.strong]
        named = [h.key for h in table.columns if h.role == "name"]
        for row in table.rows if keys and named else []:
            cell = row.get("p_adjusted" if "p_adjusted" in keys else keys[0])
            if cell and isinstance(cell.v, float | int):
                found[table.title, " ".join(row[k].s for k in named if k in row)] = float(cell.v)
    return found
