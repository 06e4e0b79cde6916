"""A study as a Python script that needs nothing but yavik.core."""

from yavik.core.script.write import (
    ScriptFigure,
    ScriptQuestion,
    ScriptReport,
    ScriptStudy,
    ScriptTable,
    study_script,
)

__all__ = ["ScriptFigure", "ScriptQuestion", "ScriptReport", "ScriptStudy", "ScriptTable", "study_script"]
