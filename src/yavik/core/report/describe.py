"""A report's description: a small tree of nodes, as the editor keeps it, and how the whole is set. Nothing in it is
HTML."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

NodeType = Literal[
    "doc",
    "heading",
    "paragraph",
    "bulletList",
    "orderedList",
    "listItem",
    "blockquote",
    "horizontalRule",
    "hardBreak",
    "pageBreak",
    "reference",
    "text",
    "live",
    "crossReference",
    "footnote",
    "answer",
    "figure",
    "appendix",
]
MOST_DEPTH = 60
"""Lists within lists: deeper than anyone writes, shallower than what would end a reader of the file."""


class MarkNode(BaseModel):
    model_config = ConfigDict(extra="allow")

    type: str


class Node(BaseModel):
    """``answer`` carries attrs question, parts, captions, uid; ``figure`` figure, uid; ``live`` question, key, said,
    uid; ``crossReference`` target and part; ``footnote`` text; heading carries level; ``appendix`` parts."""

    model_config = ConfigDict(extra="ignore")

    type: NodeType
    attrs: dict[str, Any] = {}
    content: list["Node"] = []
    text: str = Field("", max_length=200_000)
    marks: list[MarkNode] = []


class ReportDoc(BaseModel):
    model_config = ConfigDict(extra="ignore")

    doc: Node

    @field_validator("doc")
    @classmethod
    def _whole(cls, value: Node) -> Node:
        if value.type != "doc":
            raise ValueError("a report's text begins with a node of type doc")
        return value


class ReportLook(BaseModel):
    """How a report is set: what its files follow."""

    model_config = ConfigDict(extra="forbid")

    tables: Literal["journal", "plain"] = "journal"
    decimal: Literal["point", "comma"] = "point"
    paper: Literal["a4", "letter"] = "a4"
    type_pt: float = Field(10.5, ge=7, le=24)
    leading: float = Field(1.2, ge=1, le=2.5)
    """Distance of lines as a multiple of a single one."""


EMPTY_DOC: dict[str, Any] = {
    "type": "doc",
    "content": [
        {"type": "heading", "attrs": {"level": 1}, "content": [{"type": "text", "text": "Untitled report"}]},
        {"type": "paragraph"},
    ],
}
