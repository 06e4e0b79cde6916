"""Vega-Lite to SVG and PNG without a browser. The first picture of a process pays a second of start-up."""

import json
import re
from functools import lru_cache
from pathlib import Path
from typing import Any

FONTS = Path(__file__).with_name("fonts")


@lru_cache(maxsize=1)
def _converter() -> Any:
    import vl_convert

    if FONTS.is_dir():
        vl_convert.register_font_directory(str(FONTS))
    return vl_convert


@lru_cache(maxsize=128)
def _svg(vega: str) -> str:
    text: str = _converter().vegalite_to_svg(vega, allowed_base_urls=[])
    return text


def svg(vega: dict[str, Any]) -> str:
    return _svg(json.dumps(vega, sort_keys=True))


def width_mm(vega: dict[str, Any]) -> float:
    """Width of the whole drawing with its axes, which small pictures inside answers do not fix beforehand."""
    found = re.search(r'<svg[^>]* width="([\d.]+)"', svg(vega))
    return float(found[1]) * 25.4 / 96 if found else 85.0


def png(vega: dict[str, Any], dpi: int = 300) -> bytes:
    """Pixels so that the figure has its size in mm at ``dpi`` (drawings are laid out at 96 per inch)."""
    paper = {**vega, "background": "white"}
    data: bytes = _converter().vegalite_to_png(json.dumps(paper), scale=72 / 96, ppi=dpi, allowed_base_urls=[])
    return data
