"""An answer's own drawing with a figure's look: size, type, titles, bounds, colours, lines and notes."""

import copy
from typing import Any

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import significant
from yavik.core.figures.axes import wrapped
from yavik.core.figures.describe import Figure
from yavik.core.figures.extras import extras, ranges_of
from yavik.core.figures.plot import Axis, Vega
from yavik.core.figures.style import PX_PER_MM, PX_PER_PT, config


def rework(figure: Figure, block: FigureBlock) -> tuple[Vega, dict[str, str], TableBlock | None]:
    """The drawing, its levels' colours, and the numbers behind it."""
    from yavik.core.figures.images import size_of

    vega: Vega = copy.deepcopy(block.drawing)
    vega["config"] = config(figure.type_pt, figure.face, figure.line_pt, figure.grid)
    colours: dict[str, str] = {}
    axes: dict[str, Vega] = {}
    _walk(vega, figure, colours, axes)
    width, height = round(figure.width_mm * PX_PER_MM), round(figure.height_mm * PX_PER_MM)
    one_view = not ({"hconcat", "vconcat", "concat", "facet"} & vega.keys()) and not _rows(vega)
    if one_view:
        vega |= {"width": width, "height": height, "autosize": {"type": "fit", "contains": "padding"}}
        _over(vega, figure, axes, (width * 0.85, height * 0.8))
    elif isinstance(vega.get("width"), int | float) and isinstance(vega.get("height"), int | float):
        # Panels have the size of one of them: drawn, measured, and set right.
        found = size_of(vega)
        rows = max(1, round((found[1] - 30) / (vega["height"] + 4)))
        vega["width"] = max(20, round(vega["width"] + width - found[0]))
        vega["height"] = max(8, round(vega["height"] + (height - found[1]) / rows))
    return vega, colours, _behind(block)


def _rows(vega: Vega) -> bool:
    encoding = vega.get("encoding", {})
    return bool({"row", "column", "facet"} & encoding.keys())


def _walk(node: Any, figure: Figure, colours: dict[str, str], axes: dict[str, Vega]) -> None:
    """Titles, bounds, colours and the key wherever they stand."""
    if isinstance(node, list):
        for x in node:
            _walk(x, figure, colours, axes)
        return
    if not isinstance(node, dict):
        return
    for which in ("x", "y"):
        channel = node.get("encoding", {}).get(which)
        if isinstance(channel, dict):
            _axis(figure, which, channel, axes)
    for name in ("color", "fill"):
        channel = node.get("encoding", {}).get(name)
        scale = channel.get("scale") if isinstance(channel, dict) else None
        if isinstance(scale, dict) and channel.get("type") == "nominal" and "range" in scale:
            scale["range"] = [
                figure.colours.get(str(d), r) for d, r in zip(scale["domain"], scale["range"], strict=False)
            ]
            colours |= dict(zip(map(str, scale["domain"]), scale["range"], strict=False))
            if isinstance(channel.get("legend"), dict):
                place = "top" if figure.legend == "direct" else figure.legend
                if place == "none":
                    channel["legend"] = None
                elif channel["legend"].get("orient") != place and figure.legend != "top":
                    channel["legend"]["orient"] = place
    for key, value in node.items():
        if key != "data":
            _walk(value, figure, colours, axes)


def _axis(figure: Figure, which: str, channel: Vega, axes: dict[str, Vega]) -> None:
    own = getattr(figure, f"{which}_title")
    axis = channel.get("axis")
    if isinstance(axis, dict):
        room = (figure.width_mm if which == "x" else figure.height_mm) * PX_PER_MM * 0.8
        title = axis.get("title") if own is None else own
        if isinstance(title, str):
            axis["title"] = wrapped(title, room, figure.type_pt * PX_PER_PT) if title else None
        axis.pop("labelFontSize", None)
    if channel.get("type") == "quantitative":
        axes[which] = channel
        low, high = getattr(figure, f"{which}_min"), getattr(figure, f"{which}_max")
        if low is not None or high is not None:
            scale = channel.setdefault("scale", {})
            if isinstance(scale, dict):
                domain = scale.pop("domain", None)
                for name, bound, at in (("domainMin", low, 0), ("domainMax", high, 1)):
                    if bound is not None:
                        scale[name] = bound
                    elif isinstance(domain, list) and len(domain) == 2:
                        scale[name] = domain[at]
                scale["nice"] = False


def _over(vega: Vega, figure: Figure, axes: dict[str, Vega], room: tuple[float, float]) -> None:
    """Reference lines, ranges and notes, where both axes are numbers."""
    if not (figure.lines or figure.ranges or figure.notes) or not {"x", "y"} <= axes.keys():
        return
    wide = Axis("", -1e300, 1e300)
    span = {k: _span(vega, k) for k in ("x", "y")}
    x, y = Axis("", *span["x"]), Axis("", *span["y"])
    if "layer" not in vega:
        vega["layer"] = [{k: vega.pop(k) for k in ("data", "mark", "encoding", "transform") if k in vega}]
    behind = ranges_of(figure, x, y)
    before = extras(figure.model_copy(update={"notes": []}), wide, wide, room, notes=False)
    notes = extras(figure.model_copy(update={"lines": []}), x, y, room, notes=True)
    for layer in [*behind, *before, *notes]:
        for which in ("x", "y"):
            channel = layer["encoding"].get(which)
            if channel and "value" not in channel:
                channel["type"] = "quantitative"
    vega["layer"] = [*behind, *vega["layer"], *before, *notes]


def _span(vega: Vega, which: str) -> tuple[float, float]:
    """From the values that stand in the drawing: for arrows and shaded ranges."""
    found = [float(v[which]) for values in _values(vega) for v in values if isinstance(v.get(which), int | float)]
    return (min(found), max(found)) if found and min(found) < max(found) else (0.0, 1.0)


def _values(node: Any) -> list[list[dict[str, Any]]]:
    if isinstance(node, list):
        return [v for x in node for v in _values(x)]
    if not isinstance(node, dict):
        return []
    own = node.get("data", {})
    here = [own["values"]] if isinstance(own, dict) and isinstance(own.get("values"), list) else []
    return here + [v for k, x in node.items() if k != "data" for v in _values(x)]


HIDDEN = {"colour", "shape", "at"}


def _behind(block: FigureBlock) -> TableBlock | None:
    """The largest set of values that the drawing holds."""
    largest = max((v for v in _values(block.drawing) if v and isinstance(v[0], dict)), key=len, default=None)
    if not largest:
        return None
    keys = [k for k in largest[0] if k not in HIDDEN]
    rows = [{k: _quantity(v.get(k), k) for k in keys} for v in largest]
    return q.table("behind", block.title, rows, strong=[])


def _quantity(value: Any, title: str) -> q.Quantity:
    if isinstance(value, bool) or value is None or isinstance(value, str):
        return q.name("" if value is None else str(value), title)
    fine = isinstance(value, float) and value != int(value)
    return q.texted(value, significant(float(value), 5) if fine else str(int(value)).replace("-", "−"), title)
