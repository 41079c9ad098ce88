"""Makes the backups that are due while the server runs."""

import logging
from contextlib import closing

from flask import Flask

from deft_bench.bench.backups import back_up, backups_of
from deft_bench.store import shop
from deft_bench.store.database import StoreError, connect
from deft_bench.web.following import following_of

BACKUPS = "backups"
"""What is told of when somebody sets how often."""
LOOK_SECONDS = 600.0
TROUBLE = "BACKUP_TROUBLE"
"""Why the backup that is due could not be made, in the application's configuration; empty where none is wanting."""


def keep_backups(app: Flask) -> None:
    """Look every so often whether one is due, until the server stops."""
    for _ in following_of(app).turns(BACKUPS, LOOK_SECONDS):
        make_if_due(app)


def make_if_due(app: Flask) -> None:
    """Make a backup where one is due; that it cannot be made is said on its page."""
    database, now = app.config["DATABASE"], app.config["NOW"]()
    try:
        with closing(connect(database)) as db:
            settings = shop.settings(db)
            if backups_of(db, settings, database, now).due:
                back_up(db, settings, database, now)
        app.config[TROUBLE] = ""
    except (StoreError, OSError) as error:
        app.config[TROUBLE] = str(error)
        logging.getLogger("deft_bench.backups").warning("No backup was made: %s", error)
