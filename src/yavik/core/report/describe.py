"""A report's description: a small tree of nodes, as the editor keeps it. Nothing in it is HTML."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

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
    "text",
    "answer",
    "figure",
]


class MarkNode(BaseModel):
    model_config = ConfigDict(extra="allow")

    type: str


class Node(BaseModel):
    """``answer`` carries attrs question, parts, uid; ``figure`` carries figure, uid; heading carries level."""

    model_config = ConfigDict(extra="ignore")

    type: NodeType
    attrs: dict[str, Any] = {}
    content: list["Node"] = []
    text: str = Field("", max_length=200_000)
    marks: list[MarkNode] = []


class ReportDoc(BaseModel):
    model_config = ConfigDict(extra="ignore")

    doc: Node


EMPTY_DOC: dict[str, Any] = {
    "type": "doc",
    "content": [
        {"type": "heading", "attrs": {"level": 1}, "content": [{"type": "text", "text": "Untitled report"}]},
        {"type": "paragraph"},
    ],
}
