"""What methods share: claims, digits, pages, and a shape of modules that no two of them hold each other up."""

import ast
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest

import yavik
from yavik.core.answers.wording import told
from yavik.core.methods import methods
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.page import SECTIONS, read_page

SOURCE = Path(yavik.__file__).parent
WHOLE = """How much it is.

## What it assumes

- Rows are independent.

## Formulas

- **Mean**: ȳ = Σy/n

## How to read it

- **n**: How many.

## Conventions

- None.

## References

- Somebody (1900).
"""


def test_a_large_p_shows_no_equality() -> None:
    assert claimed("mean yield differs by plot", True) == "Mean yield differs by plot"
    assert claimed("mean yield differs by plot", False) == "There is no evidence that mean yield differs by plot"


@pytest.mark.parametrize(
    ("decimals", "errors", "digits"),
    [
        (0, [3.0], 1),  # one at least
        (1, [0.7], 1),
        (1, [0.07], 2),  # an interval of ±0.14 would else be 0.0 to 0.3
        (2, [0.7, 0.0004], 4),  # the finest of several
        (1, [float("nan"), 0.0], 1),  # no error is known
        (1, [1e-30], 7),  # digits that nobody reads are not printed
    ],
)
def test_differences_are_printed_to_the_first_digit_of_their_error(
    decimals: int, errors: list[float], digits: int
) -> None:
    assert told(decimals, *errors) == digits


def test_every_method_has_its_page_beside_it() -> None:
    for method in methods().values():
        page = method.page
        assert page.answers.endswith(".") and "\n\n" not in page.answers, method.id
        assert page.assumes and page.formulas and page.reading and page.conventions, method.id


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("## Conventions", "## Habits", "needs the sections"),
        ("- Rows are independent.", "Rows are independent.", "begins no entry"),
        ("- **Mean**: ȳ", "- Mean ȳ", "no name in front"),
    ],
)
def test_a_page_that_is_none_says_what_it_lacks(tmp_path: Path, old: str, new: str, said: str) -> None:
    page, method = tmp_path / "page.md", str(tmp_path / "method.py")
    page.write_text(WHOLE, encoding="utf-8")
    found = read_page(method)
    assert found.answers == "How much it is." and found.formulas == [("Mean", "ȳ = Σy/n")]
    assert len(SECTIONS) == WHOLE.count("## ")
    page.write_text(WHOLE.replace(old, new), encoding="utf-8")
    with pytest.raises(ValueError, match=said):
        read_page(method)


def imports() -> dict[str, set[str]]:
    """Each module of Yavik with those it imports, for types too."""
    files = {".".join(p.relative_to(SOURCE.parent).with_suffix("").parts): p for p in SOURCE.rglob("*.py")}
    names = {n.removesuffix(".__init__"): p for n, p in files.items()}
    found: dict[str, set[str]] = {}
    for name, path in names.items():
        found[name] = set()
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module and not node.level:
                parts = {f"{node.module}.{a.name}" for a in node.names}
                found[name] |= parts & names.keys() or {node.module} & names.keys()
            elif isinstance(node, ast.Import):
                found[name] |= {a.name for a in node.names} & names.keys()
    return {n: others - {n} for n, others in found.items()}


def test_no_modules_import_each_other() -> None:
    try:
        TopologicalSorter(imports()).prepare()
    except CycleError as circle:
        pytest.fail(" → ".join(circle.args[1]))


def test_what_methods_share_knows_no_method() -> None:
    shared = {n: others for n, others in imports().items() if n.startswith("yavik.core.methods.kit")}
    rooms = (SOURCE / "core" / "methods").glob("*/__init__.py")
    aims = tuple(p.parent.name for p in rooms if p.parent.name != "kit")
    assert len(aims) > 6
    up = {n: o for n, others in shared.items() for o in others if o.startswith(tuple(f"yavik.core.methods.{a}" for a in aims))}  # fmt: skip
    assert shared and up == {}


def computes(path: Path) -> list[str]:
    """Functions of the statistics that a file uses; their classes only name what was computed."""
    found = []
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(("yavik.core.stats", "scipy")):
            found += [a.name for a in node.names if not a.name[0].isupper()]
    return found


def test_what_tells_computes_nothing() -> None:
    methods_ = SOURCE / "core" / "methods"
    rooms = [p for name in ("tell", "tables", "words", "telling") for p in methods_.glob(f"*/*/{name}.py")]
    assert len(rooms) > 15
    computing = {p.relative_to(methods_).as_posix() for p in rooms if computes(p)}
    assert computing - {"kit/models/tables.py"} == set()
