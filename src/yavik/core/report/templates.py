"""Beginnings of reports: what stands in them, and how they are set."""

from dataclasses import dataclass
from typing import Any

from yavik.core.report.describe import EMPTY_DOC, ReportLook


@dataclass(frozen=True)
class Template:
    id: str
    title: str
    help: str
    look: ReportLook
    parts: tuple[tuple[int, str, str], ...]
    """Level and words of each heading, and the hint that stands under it."""

    def doc(self) -> dict[str, Any]:
        """A fresh document of this kind."""
        if not self.parts:
            return dict(EMPTY_DOC)
        content: list[dict[str, Any]] = []
        for level, title, hint in self.parts:
            content.append(
                {"type": "heading", "attrs": {"level": level}, "content": [{"type": "text", "text": title}]}
            )
            content.append(
                {"type": "paragraph", "content": [{"type": "text", "text": hint}]} if hint else {"type": "paragraph"}
            )
        return {"type": "doc", "content": content}


TEMPLATES: dict[str, Template] = {
    t.id: t
    for t in (
        Template("empty", "Empty page", "A title and a page.", ReportLook(), ()),
        Template(
            "article",
            "Article section",
            "Methods and results as a journal has them.",
            ReportLook(),
            (
                (1, "Title", ""),
                (2, "Methods", "Who or what was studied, how, and when."),
                (3, "Statistical analysis", "Put answers in here with “Write this up”."),
                (2, "Results", ""),
                (2, "References", ""),
            ),
        ),
        Template(
            "thesis",
            "Thesis chapter",
            "Larger type, open lines, an appendix.",
            ReportLook(type_pt=12, leading=1.5),
            (
                (1, "Chapter", ""),
                (2, "Question", "What this chapter asks, and why."),
                (2, "Data", "Where the data come from, and how they were prepared."),
                (2, "Methods", ""),
                (2, "Results", ""),
                (2, "Discussion", ""),
                (2, "References", ""),
            ),
        ),
        Template(
            "brief",
            "One-page brief",
            "The answer first, one figure, what follows from it.",
            ReportLook(type_pt=10, leading=1.15),
            (
                (1, "The answer in one line", ""),
                (2, "What we found", ""),
                (2, "How sure we are", ""),
                (2, "What follows", ""),
            ),
        ),
        Template(
            "handout",
            "Talk hand-out",
            "Large type, plain tables.",
            ReportLook(type_pt=14, leading=1.3, tables="plain"),
            ((1, "Talk", "Speaker, place, date"), (2, "Main points", ""), (2, "Figures", ""), (2, "Contact", "")),
        ),
    )
}
