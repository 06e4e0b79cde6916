"""What can be wrong with the folder or the database, in sentences for whoever has to mend it."""

from sqlalchemy.exc import DatabaseError

FULL = "There is no room left on the disk of the data folder. Nothing was changed; make room and try again."
READ_ONLY = "The data folder can only be read. Nothing was changed; make it writable and try again."
DAMAGED = (
    "The database in the data folder is damaged. Nothing was changed. Stop Yavik, keep the folder, and bring back the"
    " last backup: yavik restore"
)
DISK = "The disk of the data folder reports an error. Nothing was changed; look after the disk, then try again."
BUSY = "Another program holds the database of the data folder. Nothing was changed; try again in a moment."
SIGNS = {
    "disk is full": FULL,
    "readonly database": READ_ONLY,
    "malformed": DAMAGED,
    "not a database": DAMAGED,
    "disk i/o error": DISK,
    "unable to open database": READ_ONLY,
    "database is locked": BUSY,
}


class FolderTrouble(Exception):
    """The data folder cannot be used; the message says why and what to do."""


def said_of_database(trouble: DatabaseError) -> str | None:
    """A sentence for what the database says; None for what is a mistake of ours."""
    text = str(trouble.orig).lower()
    return next((words for sign, words in SIGNS.items() if sign in text), None)
