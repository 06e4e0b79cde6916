"""Writes constraints.txt: every package that .venv holds, and what each of its files hashes to.

To take newer ones: upgrade them in .venv, run this, and ``make test``. Whatever the index sends later under the same
name and version must be the same file, or the build stops."""

import json
import re
import subprocess
import sys
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from pip._internal.models.index import PyPI

FILE = Path(__file__).parents[1] / "constraints.txt"
ACCEPT = "application/vnd.pypi.simple.v1+json"
OLDEST = 11
"""The lowest minor version of Python 3 that the project runs on."""


def main() -> None:
    names = installed()
    with ThreadPoolExecutor(8) as pool:
        parts = list(pool.map(locked, names))
    FILE.write_text("\n".join(parts) + "\n", encoding="utf-8")
    print(f"{len(names)} packages, {sum(p.count('--hash') for p in parts)} files")


def installed() -> list[str]:
    """As ``name==version``; the project itself is none of them."""
    freeze = [sys.executable, "-m", "pip", "freeze", "--all", "--exclude-editable"]
    lines = subprocess.run(freeze, capture_output=True, text=True, check=True).stdout.split()
    return sorted((x for x in lines if "==" in x and not re.match("(pip|setuptools|wheel)==", x)), key=str.lower)


def locked(pinned: str) -> str:
    """A package with the hashes of its files that may be installed. Raises LookupError."""
    name, version = pinned.split("==")
    request = urllib.request.Request(f"{PyPI.simple_url}/{normal(name)}/", headers={"accept": ACCEPT})
    with urllib.request.urlopen(request, timeout=60) as page:
        files = json.load(page)["files"]
    hashes = sorted({f["hashes"]["sha256"] for f in files if fits(f["filename"], name, version)})
    if not hashes:
        raise LookupError(f"the index has no file of {pinned}")
    return " \\\n".join([pinned, *(f"    --hash=sha256:{h}" for h in hashes)])


def normal(name: str) -> str:
    """As an index writes names (PEP 503)."""
    return re.sub(r"[-_.]+", "-", name).lower()


def fits(file: str, name: str, version: str) -> bool:
    """Whether a file is of this package and version, and for a Python of ours."""
    if file.endswith((".tar.gz", ".zip")):
        return normal(file) == normal(f"{name}-{version}{'.tar.gz' if file.endswith('.gz') else '.zip'}")
    if not file.endswith(".whl"):
        return False
    own, given, *_, python, abi, _platform = file[:-4].split("-")
    if normal(own) != normal(name) or given != version:
        return False
    of = re.fullmatch(r"cp3(\d+)", python)
    return "py3" in python.split(".") or (of is not None and (abi == "abi3" or int(of[1]) >= OLDEST))


if __name__ == "__main__":
    main()
