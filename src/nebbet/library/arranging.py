"""Shelves, and what stands on them: put up, named, ordered, moved, copied, pinned, retired."""

from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping
from contextlib import AbstractContextManager
from datetime import datetime
from functools import partial

from sqlalchemy import ColumnElement, Connection, delete, exists, insert, select, update

from nebbet.core.errors import NebbetError
from nebbet.library import schema
from nebbet.library.editions import add_edition, content_of
from nebbet.library.holdings import Copied, Overtaken, Role, Shelf, State, Template
from nebbet.library.writes import Unmoved, must_be_as, must_change


class Arranging(ABC):
    """What a library does with shelves and whole templates."""

    role: Role

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    # Shelves

    def add_shelf(self, shelf: Shelf, position: int = 0) -> None:
        """Put up a shelf; everybody may have one of their own."""
        with self.writing("The shelf cannot be put up", leads=not shelf.owner) as connection:
            put_up(connection, shelf, position)

    def make_sure_of(self, shelf: Shelf) -> None:
        """Put up a private shelf, unless it is there."""
        with self.writing("The shelf cannot be put up", leads=False) as connection:
            _make_sure_of(connection, shelf)

    def rename_shelf(self, shelf: str, name: str, seen: str | None = None) -> None:
        """Give a shelf another name; seen is the one it had when it was shown. Raises Overtaken
        where it has another one by now."""
        table = schema.shelf.c
        with self.writing("The shelf cannot be renamed") as connection:
            now = partial(connection.scalar, select(table.name).where(table.id == shelf))
            held = now()
            if seen is not None and held != seen:
                raise Overtaken(held, held or "")
            at = (table.id == shelf) & (table.name == held)
            must_be_as(connection, update(schema.shelf).where(at).values(name=name), held, now)

    def order_shelves(self, shelves: Iterable[Shelf], seen: Iterable[Shelf] | None = None) -> None:
        """Put shelves into the order that is given, each on the shelf it names as parent. seen are
        the shelves as they were shown.

        Raises NebbetError where a shelf would come to stand on itself, and Overtaken where somebody
        else put them in another order meanwhile.
        """
        wanted = [*shelves]
        with self.writing("The shelves cannot be ordered") as connection:
            _hold_shelves(connection)
            shown = [(shelf.id, shelf.parent) for shelf in seen or ()]
            known = {key for key, _parent in shown}
            if shown != [row for row in _order(connection) if row[0] in known]:
                raise Overtaken(wanted)
            for position, shelf in enumerate(wanted):
                values = {"parent": shelf.parent or None, "position": position}
                _change(connection, shelf.id, values)
            _refuse_circles(connection)

    def remove_shelf(self, shelf: str) -> None:
        """Take a shelf down. Raises NebbetError where something stands on it."""
        with self.writing("The shelf cannot be taken down") as connection:
            held = (
                exists().where(schema.template.c.shelf == shelf),
                exists().where(schema.shelf.c.parent == shelf),
                exists().where(schema.proposal.c.shelf == shelf),
            )
            if any(connection.scalar(select(one)) for one in held):
                raise NebbetError(
                    "Something stands on this shelf, or was proposed for it",
                    kept="It was left as it is",
                    advice="Move what is on it to another shelf first; retired templates, too",
                )
            must_change(connection, delete(schema.shelf).where(schema.shelf.c.id == shelf))

    # Templates

    def set_template(
        self,
        *templates: str,
        state: State | None = None,
        pinned: bool | None = None,
        shelf: str | None = None,
        seen: Iterable[Template] = (),
    ) -> None:
        """Change the state, pin or shelf of templates, all or none; None leaves a value as it
        is. One that has no edition yet is brought back as a draft. seen are they as they were
        shown. Raises Overtaken where one is another one by now, and not as it is wanted."""
        known = {template.id: template for template in seen}
        values = {"state": state, "pinned": pinned, "shelf": shelf}
        change = {name: value for name, value in values.items() if value is not None}
        table = schema.template
        with self.writing("The template cannot be changed", leads=False) as connection:
            if shelf is not None:
                self.may_fill(connection, shelf)
            for template in templates:
                self.may_change(connection, template)
                at = table.c.id == template
                changed = update(table).where(at, *_as_seen(known.get(template), change))
                if not connection.execute(changed.values(change)).rowcount:
                    raise _moved_on(connection, template, known.get(template), change)
                if state == "in use":
                    none = at & (table.c.edition == 0)
                    connection.execute(update(table).where(none).values(state="draft"))

    def copy_templates(
        self, copies: Iterable[Copied], shelf: Shelf, *, author: str, made: datetime
    ) -> None:
        """Copy templates as they are in use to a shelf, each as the first edition of another
        template; a private shelf is put up if it is not there yet."""
        with self.writing("The template cannot be copied", leads=False) as connection:
            _make_sure_of(connection, shelf)
            self.may_fill(connection, shelf.id)
            for copied in copies:
                _copy(connection, copied, shelf.id, author, made)

    def set_origin(self, template: str, origin: str, edition: int) -> None:
        """Say which edition of which template somebody's own version follows."""
        values = {"origin": origin, "origin_edition": edition}
        with self.writing("The template cannot be changed", leads=False) as connection:
            self.may_change(connection, template)
            table = schema.template
            must_change(connection, update(table).where(table.c.id == template).values(values))

    # Who may

    def may_change(self, connection: Connection, template: str) -> None:
        """Raise NebbetError where somebody may not change a template."""
        if self.role == "lead":
            return  # of a private shelf that is not theirs the database says so
        shelf = select(schema.template.c.shelf).where(schema.template.c.id == template)
        self.may_fill(connection, connection.scalar(shelf) or "")

    def may_fill(self, connection: Connection, shelf: str) -> None:
        """Raise NebbetError where a shelf is everybody's and the person no lead."""
        owner = select(schema.shelf.c.owner).where(schema.shelf.c.id == shelf)
        if self.role != "lead" and connection.scalar(owner) is None:
            raise NebbetError(
                "This template is the team's: that is for a lead to change",
                kept="Nothing was changed",
                advice="Propose it instead",
            )


def _as_seen(seen: Template | None, change: Mapping[str, object]) -> list[ColumnElement[bool]]:
    """What is to be changed is as it was seen, or as it is wanted already."""
    if seen is None:
        return []
    columns = schema.template.c
    return [columns[name].in_([getattr(seen, name), value]) for name, value in change.items()]


def _moved_on(
    connection: Connection, template: str, seen: Template | None, change: Iterable[str]
) -> NebbetError:
    """Why a template could not be changed: it is another one by now, or one may not."""
    columns = schema.template.c
    row = connection.execute(select(schema.template).where(columns.id == template)).first()
    if seen is None or row is None:
        return Unmoved()
    if all(row._mapping[name] == getattr(seen, name) for name in change):
        return Unmoved()
    return Overtaken(
        row.state,
        row.state if row.state != seen.state else "",
        kept="It was left as it is now",
        advice="Look at it, and do it again if it is to be so",
    )


def put_up(connection: Connection, shelf: Shelf, position: int) -> None:
    """Put up a shelf inside a transaction."""
    row = {
        "id": shelf.id,
        "name": shelf.name,
        "parent": shelf.parent or None,
        "owner": shelf.owner or None,
    }
    connection.execute(insert(schema.shelf).values(**row, position=position))


def _make_sure_of(connection: Connection, shelf: Shelf) -> None:
    there = select(exists().where(schema.shelf.c.id == shelf.id))
    if shelf.owner and not connection.scalar(there):
        put_up(connection, shelf, 0)


def _change(connection: Connection, shelf: str, values: Mapping[str, object]) -> None:
    table = schema.shelf
    must_change(connection, update(table).where(table.c.id == shelf).values(values))


def _hold_shelves(connection: Connection) -> None:
    """Nobody else orders them until the transaction ends."""
    table = schema.shelf
    connection.execute(update(table).values(position=table.c.position))


def _order(connection: Connection) -> list[tuple[str, str]]:
    table = schema.shelf.c
    rows = select(table.id, table.parent).order_by(table.position, table.name)
    return [(row[0], row[1] or "") for row in connection.execute(rows)]


def _refuse_circles(connection: Connection) -> None:
    table = schema.shelf.c
    parents = {row[0]: row[1] for row in connection.execute(select(table.id, table.parent))}
    for above in parents.values():
        for _ in parents:
            above = parents.get(above) if above else None  # noqa: PLW2901
        if above:
            raise NebbetError(
                "A shelf cannot stand on itself",
                kept="The shelves are as they were",
                advice="Choose another place for it",
            )


def _copy(connection: Connection, copied: Copied, shelf: str, author: str, made: datetime) -> None:
    number, content = content_of(connection, copied.source)
    row = {
        "id": copied.id,
        "shelf": shelf,
        "title": copied.title,
        "origin": copied.source if copied.own else "",
        "origin_edition": number if copied.own else 0,
    }
    connection.execute(insert(schema.template).values(**row, state="draft", pinned=False))
    add_edition(
        connection,
        copied.id,
        copied.title,
        content,
        author=author,
        note="A copy",
        made=made,
        based_on=None,
    )
