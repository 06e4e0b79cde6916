"""A problem on its way between processes."""

from typing import Any

from yavik.core.table import DataProblem


def problem_data(problem: DataProblem) -> dict[str, Any]:
    """A problem as it travels between processes."""
    return {"message": problem.message, "column": problem.column, "rows": problem.rows, "position": problem.position}


def problem_from(data: dict[str, Any]) -> DataProblem:
    """A problem that travelled."""
    return DataProblem(data["message"], column=data["column"], rows=data["rows"], position=data["position"])
