"""A study as a Python script that needs nothing but yavik.core."""

from yavik.core.script.write import ScriptQuestion, ScriptTable, study_script

__all__ = ["ScriptQuestion", "ScriptTable", "study_script"]
