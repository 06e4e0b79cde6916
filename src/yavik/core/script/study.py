"""A study computed from its files, part by part in the order in which it was built: what study scripts call.

Everything is done by the same functions as in the application; nothing is kept but what is asked for at the end.
"""

import json
import re
from pathlib import Path
from typing import Any

from yavik.core.answers import Answer
from yavik.core.answers.wording import plain
from yavik.core.figures import Drawing, Figure, Style, answer_figure, draw_figure
from yavik.core.figures.images import svg
from yavik.core.figures.lends import lent
from yavik.core.files.csv_out import write_to
from yavik.core.files.formats import read
from yavik.core.files.options import ReadOptions
from yavik.core.methods import answer
from yavik.core.methods.registry import get, new_columns
from yavik.core.report import Document, Embed, ReportLook, assemble
from yavik.core.report.appendix import Appendix, Asked, PreparedTable
from yavik.core.report.describe import Node
from yavik.core.report.markdown import write_markdown
from yavik.core.report.pdf import write_pdf
from yavik.core.report.web import write_html
from yavik.core.report.word import write_docx
from yavik.core.steps import new_step
from yavik.core.steps.base import Around, Effect, Other
from yavik.core.steps.path import apply_path
from yavik.core.table import DataProblem, Table

Json = dict[str, Any]


class Study:
    """Tables, answers, figures and reports by their keys. Each call prints what it found."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.tables: dict[str, Table] = {}
        self.names: dict[str, str] = {}
        self.paths: dict[str, tuple[str, list[Effect]]] = {}
        self.answers: dict[str, Answer] = {}
        self.asked: dict[str, tuple[str, str, Json]] = {}
        """Name, table and spec of each question."""
        self.drawings: dict[str, Drawing] = {}
        self.figures: dict[str, tuple[str, Figure]] = {}
        self.kept = Style()
        self.reports: dict[str, tuple[str, Document]] = {}
        self.problems: dict[str, str] = {}

    def table(
        self,
        key: str,
        name: str,
        *,
        file: str | None = None,
        link: str | None = None,
        options: Json | None = None,
        steps: list[Json] | None = None,
    ) -> None:
        """Reads a file of the study, or begins with another table, and takes the steps."""
        try:
            if file:
                source, _ = read(self.folder / file, ReadOptions.model_validate(options or {}))
                came = Path(file).name
            else:
                source, came = self._made(link or ""), f"the table {self.names[link or '']}"
        except DataProblem as problem:
            self.problems[name] = problem.message
            print(f"{name}\n  cannot be prepared: {problem.message}")
            return
        around = Around({k: Other(self.names[k], t) for k, t in self.tables.items()}, new_columns)
        done = apply_path(source, [new_step(s) for s in steps or []], around)
        print(f"{name}: {done.table.n_rows} rows, {len(done.table.columns)} columns")
        for effect in done.effects:
            print(f"  {effect.title}: {effect.problem or effect.said}")
        self.tables[key], self.names[key], self.paths[key] = done.table, name, (came, done.effects)

    def question(self, key: str, name: str, table: str, method: str, spec: Json) -> None:
        """Asks and keeps the answer, or the reason why there is none."""
        self.asked[key] = (name, table, spec)
        try:
            self.answers[key] = answer(method, self._made(table), spec)
            print(f"{name}\n  {self.answers[key].headline}")
        except DataProblem as problem:
            self.problems[name] = problem.message
            print(f"{name}\n  cannot be answered: {problem.message}")

    def style(self, colours: dict[str, dict[str, str]], marks: dict[str, dict[str, str]]) -> None:
        """The colours and marks that the study keeps for levels, by column."""
        self.kept = Style(colours, marks)

    def figure(self, key: str, name: str, table: str, figure: Json) -> None:
        """Adds a figure."""
        described = Figure.model_validate(figure)
        self.figures[key] = (name, described)
        try:
            self.drawings[key] = self._drawn(described, table)
            print(f"{name}\n  {plain(self.drawings[key].caption)}")
        except (DataProblem, KeyError) as problem:
            self.problems[name] = str(problem)
            print(f"{name}\n  cannot be drawn: {problem}")

    def _drawn(self, figure: Figure, table: str) -> Drawing:
        if figure.kind == "answer":
            return answer_figure(figure, self.asked[figure.question or ""][0], self.answers[figure.question or ""])
        found = None
        if figure.marks_from in self.answers:
            name, of, spec = self.asked[figure.marks_from]
            found = lent(figure, name, spec, self.answers[figure.marks_from]) if of == table else None
        return draw_figure(figure, self._made(table), found, self.kept)

    def _made(self, table: str) -> Table:
        if table not in self.tables:
            raise DataProblem("its table could not be prepared")
        return self.tables[table]

    def report(self, key: str, name: str, doc: Json, look: Json) -> None:
        """Adds a report."""
        parsed, setting = Node.model_validate(doc), ReportLook.model_validate(look)
        document = assemble(parsed, self._embed, setting, self._appendix)
        self.reports[key] = (name, document)
        print(f"{name}\n  {document.title}: {len(document.parts)} parts")

    def _embed(self, kind: str, ref: str) -> Embed | None:
        if kind == "answer":
            return Embed(self.asked[ref][0], answer=self.answers.get(ref)) if ref in self.asked else None
        if ref not in self.figures:
            return None
        name, described = self.figures[ref]
        found = self.drawings.get(ref)
        if found is None:
            return Embed(name, problem=f"{name} cannot be drawn: {self.problems.get(name, '')}")
        return Embed(name, vega=found.vega, caption=found.caption, alt=found.alt, width_mm=described.width_mm)

    def _appendix(self) -> Appendix:
        """Of the whole study: every table, every answer."""
        tables = [
            PreparedTable(
                self.names[k],
                came,
                self.tables[k].n_rows,
                list(self.tables[k].columns),
                [(e.title, e.problem or e.said) for e in effects],
            )
            for k, (came, effects) in self.paths.items()
        ]
        asked = [
            Asked(self.asked[k][0], get(a.method).title, self.names[self.asked[k][1]], a)
            for k, a in self.answers.items()
        ]
        return Appendix(tables, asked)

    def save(self, folder: Path) -> None:
        """Tables as CSV, answers and drawings as JSON, figures as SVG, reports in every kind of file."""
        folder.mkdir(parents=True, exist_ok=True)
        found = {
            "answers": {k: a.model_dump(mode="json") for k, a in self.answers.items()},
            "drawings": {
                k: {"vega": d.vega, "caption": plain(d.caption), "alt": d.alt} for k, d in self.drawings.items()
            },
            "problems": self.problems,
        }
        (folder / "results.json").write_text(json.dumps(found, ensure_ascii=False), encoding="utf-8")
        (folder / "tables").mkdir(exist_ok=True)
        for key, table in self.tables.items():
            with (folder / "tables" / f"{key}.csv").open("wb") as out:
                write_to(table, out, values=True)
        for key, drawing in self.drawings.items():
            (folder / f"figure-{slug(self.figures[key][0])}-{key}.svg").write_text(
                svg(drawing.vega), encoding="utf-8"
            )
        for key, (name, document) in self.reports.items():
            for end, write in (
                ("docx", write_docx),
                ("pdf", write_pdf),
                ("html", write_html),
                ("md", write_markdown),
            ):
                (folder / f"report-{slug(name)}-{key}.{end}").write_bytes(write(document))
        print(f"Saved in {folder.name}/")


def slug(name: str) -> str:
    """A name as a file can have it."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "unnamed"
