"""A library that could not be opened: empty, and nothing can be kept in it. The window stands all
the same, so that the letters of the pile are there and another library can be chosen."""

from collections.abc import Collection

from sqlalchemy import StaticPool, create_engine

from nebbet.core.errors import NebbetError
from nebbet.library import migrate
from nebbet.library.entries import Registered
from nebbet.library.store import Library


class ClosedLibrary(Library):
    """why says what stood in the way."""

    def __init__(self, why: NebbetError) -> None:
        shared = {"check_same_thread": False}
        engine = create_engine("sqlite://", connect_args=shared, poolclass=StaticPool)
        migrate.upgrade(engine)
        super().__init__(engine, "reader")
        self.why = why

    @property
    def on_network(self) -> bool:
        """There is no file."""
        return False

    def check_reach(self, what: str, kept: str = "") -> None:
        """Raise NebbetError: nothing can be done with it."""
        raise NebbetError(f"{what}: the library is not open", kept=kept, advice=self.why.advice)

    def record(self, entries: Collection[Registered]) -> None:  # noqa: ARG002
        """Letters that went out are entered once the library is open again."""
        self.check_reach("The register cannot be written")
