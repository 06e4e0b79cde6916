"""Three looks made ready, which a study can take as its own."""

from yavik.core.figures.describe import Look

PRESETS: dict[str, tuple[str, Look]] = {
    "journal": ("Journal: one column, 8 pt", Look()),
    "slide": (
        "Slide: large type, strong lines",
        Look(type_pt=16, line_pt=1.5, width_mm=240, height_mm=135, legend="right"),
    ),
    "plain": (
        "Plain: serif type, no grid",
        Look(face="STIX Two Text", type_pt=9, line_pt=0.6, width_mm=120, height_mm=85, grid=False),
    ),
}
"""Size, type, lines, grid and key; what is drawn stays."""


def looked(values: Look) -> dict[str, object]:
    """The settings of a look alone, to lay over a figure."""
    return {name: getattr(values, name) for name in Look.model_fields}
