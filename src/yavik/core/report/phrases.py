"""What sentences of a report can quote of an answer: statements, tests, estimates, cells, each under a lasting key.

A phrase is found again by what it is (table, row, column), not by where it stood: rows that change places keep it.
"""

import re
from dataclasses import dataclass

from yavik.core.answers import Answer, Cell, Head, NoteBlock, Span, TableBlock
from yavik.core.answers.answer import Role
from yavik.core.answers.quantities import SYMBOLS
from yavik.core.answers.wording import after, grouped, italic, p_words, plain, say, sub

BY_LETTER: tuple[Role, ...] = ("statistic", "estimate")
"""What is told under its letter beside its p; a correlation is an estimate and its own statistic."""


@dataclass(frozen=True)
class Phrase:
    """``key`` stays; ``where`` says what it is, for choosing; ``spans`` are its words now."""

    key: str
    where: str
    spans: list[Span]

    @property
    def text(self) -> str:
        """Its words without styles."""
        return plain(self.spans)


def phrases(answer: Answer) -> list[Phrase]:
    """All that can be quoted, what is quoted most first."""
    made = _sentences(answer)
    tables = [b for b in answer.blocks if isinstance(b, TableBlock)]
    for table in tables:
        for name, row in _named_rows(table):
            made += _of_row(table, name, row)
    made += _rows_used(answer)
    made += [
        Phrase(f"note|{b.id}", "As a paper tells it", say(b.text)) for b in answer.blocks if isinstance(b, NoteBlock)
    ]
    for table in tables:
        for name, row in _named_rows(table):
            made += [
                Phrase(
                    f"cell|{table.id}|{name}|{h.key}",
                    f"{table.title} · {name} · {h.title or h.key}",
                    say(row[h.key].text),
                )
                for h in table.columns
                if h.key in row and isinstance(row[h.key].v, int | float)
            ]
    made += [
        Phrase(f"check|{c.id}", f"Check: {c.title}", say(c.text)) for c in answer.checks if c.verdict != "unknown"
    ]
    found: dict[str, Phrase] = {}
    for phrase in made:
        found.setdefault(phrase.key, phrase)
    return list(found.values())


def phrase(answer: Answer, key: str) -> list[Span] | None:
    """The words of one phrase now; None where the answer no longer has it."""
    return next((p.spans for p in phrases(answer) if p.key == key), None)


def _sentences(answer: Answer) -> list[Phrase]:
    made = [Phrase("headline", "The whole statement", answer.headline_spans)]
    parts = sentences(answer.headline_spans)
    if len(parts) > 1:
        made += [Phrase(f"headline|{i}", f"Sentence {i} of the statement", s) for i, s in enumerate(parts, 1)]
    return made


END = re.compile(r"(?<=[.?!])\s+(?=[A-ZÀ-Þ“(])")


def sentences(spans: list[Span]) -> list[list[Span]]:
    """A statement's sentences: a full stop, a space and a capital end one, whatever styles they stand in."""
    text = "".join(s.t for s in spans)
    cuts = [(m.start(), m.end()) for m in END.finditer(text)]
    out = []
    for start, end in zip([0, *(c[1] for c in cuts)], [*(c[0] for c in cuts), len(text)], strict=True):
        at, made = 0, []
        for span in spans:
            piece = span.t[max(0, start - at) : max(0, end - at)]
            if piece:
                made.append(Span(t=piece, style=span.style))
            at += len(span.t)
        if made:
            out.append(made)
    return out


def _named_rows(table: TableBlock) -> list[tuple[str, dict[str, Cell]]]:
    """Rows with the words that tell them apart: their first words, numbered where these come twice."""
    words = [h.key for h in table.columns if h.align == "left"][:2]
    seen: dict[str, int] = {}
    out = []
    for row in table.rows:
        name = ", ".join(filter(None, (row[k].s for k in words if k in row))) or "all rows"
        name = name.replace("|", "/")
        seen[name] = seen.get(name, 0) + 1
        out.append((name if seen[name] == 1 else f"{name} ({seen[name]})", row))
    return out


def _of_row(table: TableBlock, name: str, row: dict[str, Cell]) -> list[Phrase]:
    made = []
    test = test_words(table, row)
    estimate = estimate_words(table, row)
    if estimate:
        made.append(Phrase(f"estimate|{table.id}|{name}", f"{table.title} · {name}: estimate", estimate))
    if test:
        made.append(Phrase(f"test|{table.id}|{name}", f"{table.title} · {name}: test", test))
    return made


def _number(cell: Cell | None) -> bool:
    return cell is not None and isinstance(cell.v, int | float)


def _numbers(table: TableBlock, row: dict[str, Cell], role: Role) -> list[Head]:
    """The heads of a role under which the row has a number."""
    return [h for h in table.columns if h.role == role and _number(row.get(h.key))]


def test_words(table: TableBlock, row: dict[str, Cell]) -> list[Span]:
    """'F_W(2, 68.7) = 12.55, p < .001': the row's statistic with its df and p; nothing where it has none."""
    ps = {h.key: h for h in _numbers(table, row, "p")}
    key = "p_adjusted" if "p_adjusted" in ps else next(iter(ps), None)
    if key is None:
        return []
    p = p_words(float(row[key].v))  # type: ignore[arg-type]
    told = say("adjusted " if key == "p_adjusted" else "", italic("p"), f" {p}")
    letters = [h for role in BY_LETTER for h in _numbers(table, row, role) if h.title in SYMBOLS]
    if not letters:
        return told
    head = letters[0]
    symbol: list[str | Span] = [italic(head.title) if head.title.isascii() else head.title]
    symbol += [sub(head.lowered)] if head.lowered else []
    df = [row[h.key].s for h in _numbers(table, row, "df")]
    inside = f"({', '.join(df)})" if df else ""
    return say(*symbol, f"{inside}\u00a0= {row[head.key].s}, ", *told)


def estimate_words(table: TableBlock, row: dict[str, Cell]) -> list[Span]:
    """'−10.0 min (95% CI −14.9 to −5.1)': the row's estimate with its unit and interval."""
    head = next(iter(_numbers(table, row, "estimate")), None)
    if head is None:
        return []
    value, reach = row[head.key].s, next((h for h in table.columns if h.role == "interval"), None)
    unit = "" if value.endswith("%") else after(head.unit or table.unit)
    own = row.get(reach.key) if reach else None
    inside = f" ({reach.title} {own.s})" if reach and own and own.v is not None and own.s != "–" else ""
    return say(f"{value}{unit}{inside}")


def _rows_used(answer: Answer) -> list[Phrase]:
    r = answer.rows
    made = [
        Phrase("rows|used", "Rows used", say(grouped(r.used))),
        Phrase("rows|total", "Rows in all", say(grouped(r.total))),
        Phrase("rows|left", "Rows left out", say(grouped(r.total - r.used))),
    ]
    if answer.seed is not None:
        made.append(Phrase("seed", "Seed", say(str(answer.seed))))
    return made


def holds(answer: Answer) -> bool | None:
    """Which side the evidence is on: whether the main p is below α; None where there is none."""
    p = answer.facts.get("p")
    if not isinstance(p, int | float):
        return None
    alpha = answer.spec.get("alpha", 0.05)
    return float(p) < float(alpha if isinstance(alpha, int | float) else 0.05)
