"""Delivering what is due in the outbox, from the command line."""

import time

import click
from sqlalchemy import Engine

from nebbet.cli.here import Here
from nebbet.personal import outbox
from nebbet.personal.items import Queued
from nebbet.personal.secrets import KeyringSecrets
from nebbet.post.delivering import Office, deliver_due


def deliver(here: Here, personal: Engine) -> list[Queued]:
    """Deliver what is due, and tell what is in the way; gives what is left."""
    settings = here.settings
    office = Office(
        personal, here.library, settings.account, KeyringSecrets(), time.time, settings.more
    )
    outbox.recover(personal)
    left = deliver_due(office)
    for error in office.stuck:
        click.echo(f"nebbet: {error.sentence}", err=True)
    return left
