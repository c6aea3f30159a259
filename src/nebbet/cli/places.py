"""Which library a verb is about: a file, or one on a server."""

from pathlib import Path

import click

from nebbet.cli.options import home
from nebbet.core.errors import NebbetError
from nebbet.library.postgres import is_url, sound_url
from nebbet.library.store import Library, open_library
from nebbet.personal.secrets import KeyringSecrets
from nebbet.personal.settings import read_settings
from nebbet.personal.stores import reached, without_password

AT = click.option(
    "--at", default="", metavar="WHERE", help="a file or postgresql://…; your own library otherwise"
)


def place_of(where: str) -> Path | str:
    """Where a library is: as it was said, or one's own."""
    if where:
        return sound_url(where) if is_url(where) else Path(where).absolute()
    own, secrets = home(), KeyringSecrets()
    settings = without_password(own, read_settings(own.settings_file), secrets)
    return reached(own, settings, secrets)


def place_on_server(where: str) -> str:
    """As `place_of`. Raises NebbetError where that is a file."""
    place = place_of(where)
    if isinstance(place, Path):
        raise NebbetError(
            f"The library {place.name} is a file, not on a server",
            advice="Say which server: --at postgresql://NAME@HOST/DATABASE",
        )
    return place


def there(where: str) -> Library:
    """An open library that is there already."""
    place = place_of(where)
    if isinstance(place, Path) and not place.exists():
        raise NebbetError(f"There is no library at {place}", advice="Make one: nebbet library init")
    return open_library(place)
