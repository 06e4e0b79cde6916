"""Draws pictures and sets pages, in the process of ``renderer``."""

from functools import lru_cache
from typing import Any

from yavik.core.apart.serving import serve


@lru_cache(maxsize=1)
def _know(fonts: tuple[str, ...]) -> None:
    import vl_convert

    for folder in fonts:
        vl_convert.register_font_directory(folder)


def _draw(request: dict[str, Any]) -> bytes:
    if request["what"] == "page":
        import typst

        made: bytes = typst.compile(request["main"], root=request["root"], font_paths=request["fonts"])
        return made
    import vl_convert

    _know(tuple(request["fonts"]))
    if request["what"] == "svg":
        text: str = vl_convert.vegalite_to_svg(request["vega"], allowed_base_urls=[])
        return text.encode()
    data: bytes = vl_convert.vegalite_to_png(
        request["vega"], scale=request["scale"], ppi=request["ppi"], allowed_base_urls=[]
    )
    return data


if __name__ == "__main__":
    serve(_draw, "This cannot be drawn:")
