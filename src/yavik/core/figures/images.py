"""Vega-Lite to SVG, PNG and PDF without a browser. The first picture of a process pays a second of start-up."""

import json
import re
import tempfile
from functools import lru_cache
from pathlib import Path
from typing import Any

from yavik.core.figures.renderer import RENDERER
from yavik.core.table.texts import cleaned, cleaned_deep

ODD = re.compile(r"\\u00[01][0-9a-f]|\\u007f|\\uf(?:dd|de|ff)|\\ud[89a-f]")
"""What may stand for a character that is none, in JSON text."""
WITHIN = re.compile(r"\\+u(?:00(?:0[0-8bcef]|1[0-9a-f]|7f)|fd[de][0-9a-f]|fff[ef])")
"""The same inside an expression of the drawing, which the renderer reads as JSON once more."""
FONTS = Path(__file__).with_name("fonts")
SIZE = re.compile(r'<svg[^>]* width="([\d.]+)" height="([\d.]+)"')


def _fonts() -> list[str]:
    return [str(FONTS)] if FONTS.is_dir() else []


def _text(vega: dict[str, Any]) -> str:
    """The drawing as JSON, without characters that would end the renderer."""
    text = json.dumps(vega, sort_keys=True)
    return WITHIN.sub("", json.dumps(cleaned_deep(vega), sort_keys=True)) if ODD.search(text) else text


@lru_cache(maxsize=256)
def _svg(vega: str) -> str:
    return RENDERER.ask({"what": "svg", "vega": vega, "fonts": _fonts()}).decode()


def svg(vega: dict[str, Any]) -> str:
    """The drawing as SVG."""
    return _svg(_text(vega))


def size_of(vega: dict[str, Any]) -> tuple[float, float]:
    """Width and height of the whole drawing in pixels (96 an inch)."""
    found = SIZE.search(svg(vega))
    return (float(found[1]), float(found[2])) if found else (321.0, 265.0)


def width_mm(vega: dict[str, Any]) -> float:
    """Width of the whole drawing with its axes, which small pictures inside answers do not fix beforehand."""
    return size_of(vega)[0] * 25.4 / 96


@lru_cache(maxsize=64)
def _png(vega: str, dpi: int) -> bytes:
    paper = {**json.loads(vega), "background": "white"}
    request = {"what": "png", "vega": json.dumps(paper), "scale": 72 / 96, "ppi": dpi, "fonts": _fonts()}
    return RENDERER.ask(request)


def png(vega: dict[str, Any], dpi: int = 300) -> bytes:
    """Pixels so that the figure has its size in mm at ``dpi`` (drawings are laid out at 96 per inch)."""
    return _png(_text(vega), dpi)


def pdf(vega: dict[str, Any], title: str, alt: str = "") -> bytes:
    """One page of the figure's size, lines as lines, type as type: the faces are embedded."""
    title, alt = cleaned(title), cleaned(alt)
    width, height = (v * 72 / 96 for v in size_of(vega))
    with tempfile.TemporaryDirectory(prefix="yavik-") as folder:
        root = Path(folder)
        (root / "figure.svg").write_text(svg(vega), encoding="utf-8")
        source = (
            f"#set document(title: {json.dumps(title, ensure_ascii=False)})\n#set page(width: {width:.3f}pt, height:"
            f" {height:.3f}pt, margin: 0pt)\n"
            f'#image("figure.svg", width: 100%, alt: {json.dumps(alt, ensure_ascii=False)})'
        )
        (root / "main.typ").write_text(source, encoding="utf-8")
        return page(root / "main.typ", root)


def page(main: Path, root: Path) -> bytes:
    """A document of Typst as PDF, set in the drawing process. Raises DataProblem."""
    return RENDERER.ask({"what": "page", "main": str(main), "root": str(root), "fonts": _fonts()})
