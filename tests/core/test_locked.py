"""What a fresh machine installs: exactly what was tested, file by file."""

import re
import tomllib
from importlib.metadata import distribution
from pathlib import Path

from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

ROOT = Path(__file__).parents[2]
PINNED = re.compile(r"^([\w.-]+)==(\S+)((?: \\\n    --hash=sha256:[0-9a-f]{64})+)$", re.M)
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))


def locked() -> dict[str, str]:
    text = (ROOT / "constraints.txt").read_text(encoding="utf-8")
    found = {canonicalize_name(name): version for name, version, _ in PINNED.findall(text)}
    assert len(found) == text.count("=="), "each package once, with the hashes of its files"
    return found


def test_all_that_is_asked_for_is_locked_within_its_bounds() -> None:
    versions = locked()
    own, more = PROJECT["project"]["dependencies"], PROJECT["project"]["optional-dependencies"]
    for line in [*PROJECT["build-system"]["requires"], *own, *more["distributed"], *more["dev"]]:
        asked = Requirement(line)
        assert asked.specifier.contains(versions[canonicalize_name(asked.name)]), line


def test_what_comes_along_is_locked_too() -> None:
    versions = locked()
    for name in versions:
        for line in distribution(name).requires or []:
            asked = Requirement(line)
            if asked.marker is None or asked.marker.evaluate({"extra": ""}):
                assert asked.specifier.contains(versions[canonicalize_name(asked.name)]), (name, line)


def test_the_wheel_takes_no_version_that_nobody_has_seen() -> None:
    own, more = PROJECT["project"]["dependencies"], PROJECT["project"]["optional-dependencies"]
    for line in [*own, *more["distributed"]]:
        assert any(bound.operator == "<" for bound in Requirement(line).specifier), line
