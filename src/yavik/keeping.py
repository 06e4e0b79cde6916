"""Commands that look after the data folder: tidy, backup, restore."""

import json
import sys
import urllib.error
import urllib.request
from pathlib import Path

from yavik.store.backups import backup, restore
from yavik.store.folder import address_of_server, held, prepare
from yavik.store.troubles import FolderTrouble


def run_tidy(folder: Path) -> int:
    """Tidies the folder, or has the server do it that works on it."""
    from yavik.store import Store
    from yavik.store.tidy import tidy

    try:
        with held(folder, "a command that tidies it; it will be done in a moment."):
            store = Store(folder)
            try:
                print(tidy(store).said())
            finally:
                store.close()
    except FolderTrouble as trouble:
        address = address_of_server(folder)
        if address is None:
            return _refuse(trouble)
        return _by_the_server(address)
    return 0


def _by_the_server(address: str) -> int:
    base, _, key = address.partition("/?key=")
    request = urllib.request.Request(f"{base}/api/tidy", b"", {"authorization": f"Bearer {key}"}, method="POST")
    try:
        with urllib.request.urlopen(request, timeout=3600) as found:
            print(json.loads(found.read())["said"])
    except (urllib.error.URLError, OSError, ValueError) as trouble:
        return _refuse(FolderTrouble(f"The server that works on the folder does not answer: {trouble}."))
    return 0


def run_backup(folder: Path, target: Path) -> int:
    """Writes a backup, also while a server works on the folder."""
    try:
        made = backup(folder, target)
    except FolderTrouble as trouble:
        return _refuse(trouble)
    print(f"Backed up to {made} ({made.stat().st_size / 1e6:.1f} MB), opened and found whole.")
    return 0


def run_restore(folder: Path, source: Path | None) -> int:
    """Puts a backup in the place of the database."""
    try:
        prepare(folder)
        with held(folder, "a command that restores it; it will be done in a moment."):
            taken, kept = restore(folder, source)
    except FolderTrouble as trouble:
        return _refuse(trouble)
    print(f"Restored from {taken}." + (f" What was there before is in {kept}." if kept else ""))
    return 0


def _refuse(trouble: FolderTrouble) -> int:
    print(trouble, file=sys.stderr)
    return 1
