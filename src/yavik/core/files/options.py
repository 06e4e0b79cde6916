"""How a file is to be read: found out, shown, and correctable."""

from collections.abc import Callable
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from yavik.core.table import Column, Kind

EMPTY_WORDS = ("", "NA", "N/A", "n/a", "NaN", "nan", "NULL", "null", "#N/A")

Encoding = Literal["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "cp1252", "latin-1"]
FormatId = Literal["text", "xlsx", "ods", "json", "parquet", "arrow", "package"]
Dates = Literal["iso", "day_first", "month_first"]


Progress = Callable[[float, str], None]
"""(part done, what is being done)"""


class ReadOptions(BaseModel):
    model_config = ConfigDict(extra="forbid")

    format: FormatId = "text"
    sheet: str | None = None
    """Of a workbook; of a package the table (resource)."""
    cells: str | None = Field(default=None, max_length=40)
    """Of a sheet, such as B3:H200; nothing for all that is filled."""
    encoding: Encoding = "utf-8"
    delimiter: str = Field(default=",", min_length=1, max_length=1)
    decimal: Literal[".", ","] = "."
    header: bool = True
    empty_codes: list[str] = list(EMPTY_WORDS)
    dates: Dates = "iso"
    text_columns: list[str] = []
    """Columns whose digits are names, not numbers ('007'): read as text."""
    kinds: dict[str, Kind] = {}
    """Kinds chosen by hand, by column name."""

    @field_validator("delimiter")
    @classmethod
    def _cuts(cls, value: str) -> str:
        """What stands in cells cannot cut them, and the readers take one byte."""
        if not value.isascii() or value.isalnum() or value == '"' or (value < " " and value != "\t"):
            raise ValueError("cells are cut at a mark such as a comma, a semicolon or a tab")
        return value


class Notice(BaseModel):
    """Something the reader did or saw that the researcher should know."""

    text: str
    column: str | None = None
    rows: list[int] = []


class Preview(BaseModel):
    """The first rows of a file under some options, before a table is made."""

    options: ReadOptions
    columns: list[Column]
    rows: list[list[str | None]]
    rows_seen: int
    whole: bool
    """True when the file ended within what was read for the preview."""
    notices: list[Notice]
    n_columns: int
    sheets: list[str] = []
    """Sheets or tables of the file to choose from."""
