"""Code in the documentation is the program's own: examples run, excerpts stand in the files that they name."""

import re
from pathlib import Path

import pytest

import yavik

SOURCE = Path(yavik.__file__).parent
DOCS = SOURCE.parent.parent / "docs"
BLOCKS = [
    (path.name, text)
    for path in sorted(DOCS.glob("*.md"))
    for text in re.findall(r"```python\n(.*?)```", path.read_text(), re.DOTALL)
]


def test_there_is_something_to_hold() -> None:
    assert len(BLOCKS) >= 8


@pytest.mark.parametrize(("page", "text"), BLOCKS, ids=lambda v: v[:40].strip("# \n"))
def test_code_is_the_programs_own(page: str, text: str) -> None:
    head, _, rest = text.partition("\n")
    assert head.startswith("# "), f"{page}: say '# runs' or the file that the code is from"
    if head == "# runs":
        exec(compile(rest, page, "exec"), {})
        return
    source = (SOURCE / head.removeprefix("# ")).read_text().splitlines()
    place = 0  # in the order of the file
    for line in rest.splitlines():
        assert line in source[place:], f"{page}: not in {head.removeprefix('# ')}: {line}"
        place = source.index(line, place) + 1


def test_links_lead_somewhere() -> None:
    for path in [*DOCS.glob("*.md"), DOCS.parent / "README.md"]:
        for link in re.findall(r"\]\(([^)#:]+)\)", path.read_text()):
            assert (path.parent / link).exists(), f"{path.name}: {link}"
