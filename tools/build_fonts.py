"""Makes TTF faces for server-side pictures and PDF from the interface's font packages (which carry woff2 only).

Each package splits a face into scripts; the parts are pinned to one weight and merged, so that Latin, Greek,
mathematical signs and arrows stand in one face and no line falls into another.
"""

import sys
from pathlib import Path

from fontTools import merge
from fontTools.ttLib import TTFont
from fontTools.varLib import instancer

ROOT = Path(__file__).resolve().parents[1]
OUT = ROOT / "src/yavik/core/figures/fonts"
SCRIPTS = ("latin", "latin-ext", "greek", "greek-ext", "vietnamese", "cyrillic", "math", "symbols")
FACES = [
    ("commissioner", "Commissioner", "normal", {"Regular": 400, "SemiBold": 600, "Bold": 700}),
    ("stix-two-text", "STIX Two Text", "normal", {"Regular": 400, "SemiBold": 600, "Bold": 700}),
    ("stix-two-text", "STIX Two Text", "italic", {"Italic": 400}),
]


def parts(package: str, style: str) -> list[Path]:
    folder = ROOT / "ui/node_modules/@fontsource-variable" / package / "files"
    found = [folder / f"{package}-{script}-wght-{style}.woff2" for script in SCRIPTS]
    return [p for p in found if p.exists()]


def pinned(path: Path, weight: int) -> Path:
    font = TTFont(path)
    axes = {axis.axisTag: weight if axis.axisTag == "wght" else axis.defaultValue for axis in font["fvar"].axes}
    font = instancer.instantiateVariableFont(font, axes)
    font.flavor = None
    for table in ("GSUB", "GPOS", "GDEF", "STAT", "MVAR", "HVAR", "avar", "gasp", "DSIG"):
        if table in font and table != "GPOS":
            del font[table]
    out = OUT / f"part-{path.stem}-{weight}.ttf"
    font.save(out)
    return out


def name(font: TTFont, family: str, style: str, weight: int) -> None:
    for record in list(font["name"].names):
        if record.nameID in (1, 2, 3, 4, 6, 16, 17, 21, 22, 25):
            font["name"].removeNames(nameID=record.nameID)
    plain = style in ("Regular", "Bold", "Italic")
    for number, text in (
        (1, family if plain else f"{family} {style}"),
        (2, style if plain else "Regular"),
        (4, f"{family} {style}"),
        (6, f"{family.replace(' ', '')}-{style}"),
        (16, family),
        (17, style),
    ):
        font["name"].setName(text, number, 3, 1, 0x409)
    font["OS/2"].usWeightClass = weight
    font["OS/2"].fsSelection = 0x20 if style == "Bold" else 0x01 if style == "Italic" else 0x40
    font["head"].macStyle = 1 if style == "Bold" else 2 if style == "Italic" else 0


def build() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    for package, family, slope, weights in FACES:
        for style, weight in weights.items():
            pieces = [pinned(p, weight) for p in parts(package, slope)]
            if not pieces:
                sys.exit(f"no font files for {package}: run the interface's install first")
            options = merge.Options(drop_tables=["GSUB", "GPOS", "GDEF"])
            font = merge.Merger(options).merge([str(p) for p in pieces])
            name(font, family, style, weight)
            font.save(OUT / f"{family.replace(' ', '')}-{style}.ttf")
            for piece in pieces:
                piece.unlink()
    print(f"{len(list(OUT.glob('*.ttf')))} faces in {OUT.relative_to(ROOT)}")


if __name__ == "__main__":
    build()
