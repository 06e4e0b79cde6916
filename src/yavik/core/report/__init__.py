"""Reports: text with live answers and figures, assembled once and written as DOCX, PDF, HTML and Markdown."""

from yavik.core.report.assemble import Document, Embed, assemble
from yavik.core.report.describe import EMPTY_DOC, ReportDoc, ReportLook

__all__ = ["EMPTY_DOC", "Document", "Embed", "ReportDoc", "ReportLook", "assemble"]
