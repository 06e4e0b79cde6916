"""The kinds of figures. A new one is one file here and one line below."""

from yavik.core.figures.kinds.base import Kind
from yavik.core.figures.kinds.course import COURSE
from yavik.core.figures.kinds.forest import FOREST
from yavik.core.figures.kinds.groups import GROUPS_KIND, SAMPLES_KIND
from yavik.core.figures.kinds.matrix import MATRIX
from yavik.core.figures.kinds.paired import PAIRED
from yavik.core.figures.kinds.relation import RELATION
from yavik.core.figures.kinds.roc import ROC
from yavik.core.figures.kinds.shares import SHARES
from yavik.core.figures.kinds.spread import SPREAD

KINDS: dict[str, Kind] = {
    k.id: k for k in (GROUPS_KIND, SPREAD, RELATION, COURSE, SHARES, PAIRED, SAMPLES_KIND, MATRIX, FOREST, ROC)
}
__all__ = ["KINDS", "Kind"]
