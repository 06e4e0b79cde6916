"""The process in which pictures are drawn and pages set."""

from yavik.core.apart import Helper

RENDERER = Helper(
    "yavik.core.figures.render_child",
    longest=180,
    lost=(
        "The drawing process was lost over this picture: something in it cannot be drawn, or it is too large. "
        "Everything else is as it was."
    ),
)
