"""The page for tables that are kept elsewhere and read again by themselves."""

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget
from sqlalchemy import make_url
from sqlalchemy.exc import ArgumentError

from nebbet.core.errors import NebbetError
from nebbet.core.records.tables import ReadTable
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.people.link_form import LinkForm
from nebbet.desktop.session.session import Session
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.unsaved import Form
from nebbet.library.import_files import How, offered, proposed
from nebbet.library.link_reading import read_link, read_place
from nebbet.library.links import (
    Link,
    Linked,
    LinkResult,
    check_link,
    links_of,
    put_link,
    remove_link,
)

_LIST = 300  # pixels


class Links(ListPage[Link]):
    """The list of links, and the one at hand with what came of reading it last."""

    title = "Linked tables"
    help = (
        "People or cases that are kept elsewhere: in a table file, or in a database. Nebbet reads "
        "them again by itself; what comes from there is marked and not changed here. What is gone "
        "there is marked, and stays. Look at the table with Ctrl+Alt+G, say which column names "
        "each row for good and where the others go, and keep the link with Ctrl+S. Esc goes back."
    )
    kinds = ("linked",)

    def __init__(self, session: Session) -> None:
        shared = session.shared
        self.form = LinkForm()
        self._session, self._links = session, dict[str, Linked]()
        form = Form("link", Link, self.form.show_link, self.form.write, self.form.typed)
        super().__init__(shared, "Linked tables", form, Link)
        self.back.setText(said("Back to people (Esc)"))
        self.result = pieces.label("", wrap=True)
        self.add = pieces.button(said("New link"), self._new, "words", "Ctrl+Alt+A")
        self.save = pieces.button(said("Keep the link"), self._keep, "primary", "Ctrl+S")
        self.read_now = pieces.button(said("Read it now"), self._read_now, hint="Ctrl+R")
        self.drop = pieces.button(said("Remove"), self._remove, "words")
        self.for_leads = (self.add, self.save, self.drop)
        self.typed_into = (self.form,)
        self._lay_out()
        self.form.edited.connect(self.unsaved.edited)
        self.form.looked.connect(self._look)
        shared.changed.connect(self.follow)
        session.linking.read.connect(lambda _results: self._ask())
        self.add_key("Back to people", "Esc", self.leave)
        self.add_key("Keep the link", "Ctrl+S", self._keep)
        self.add_key("New link", "Ctrl+Alt+A", self._new)
        self.add_key("Look at the table", "Ctrl+Alt+G", self._look)
        self.add_key("Read it now", "Ctrl+R", self._read_now)

    def _lay_out(self) -> None:
        left = pieces.column(
            "left", pieces.row(self.back, None), self.list, pieces.row(self.add, None), margin=8
        )
        left.setFixedWidth(_LIST)
        middle = QWidget()
        pieces.fill(
            QVBoxLayout(middle),
            pieces.label(said("The link at hand"), "heading"),
            pieces.rule(),
            pieces.scrolled(self.form),
            pieces.rule(),
            self.result,
            pieces.row(self.save, self.read_now, self.drop, None),
            margin=20,
            spacing=10,
        )
        self.form.setMaximumWidth(680)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), spacing=0)

    # What there is

    def refresh(self, wanted: str = "") -> None:
        """Show the list as it is now, once it is read."""
        self._wanted = wanted or self._wanted
        self._ask()

    def _ask(self) -> None:
        if self._shared.is_open:
            library = self._shared.library
            self._shared.people.ask(lambda _people: links_of(library), self._found, asker="links")

    def _found(self, links: dict[str, Linked]) -> None:
        self._links = links
        super().refresh()

    def choices(self) -> list[Choice]:
        return [
            Choice(
                key,
                one.link.name,
                said("people") if one.link.how.people else one.link.how.kind or said("cases"),
                said("failed") if one.result and one.result.failed else "",
                tone="brick",
            )
            for key, one in self._links.items()
        ]

    def record(self, key: str) -> Link | None:
        one = self._links.get(key)
        return one.link if one else None

    def shown(self) -> None:
        one = self._links.get(self.unsaved.key or "")
        self.read_now.setVisible(one is not None)
        self.drop.setVisible(self._shared.leads and one is not None)
        self.result.setText(_told(one.result) if one else "")

    # Acts

    def _new(self) -> None:
        if self._shared.leads:
            self.begin()
            self.form.name.setFocus()

    def _look(self) -> None:
        """Read the table as it is now, and propose where its columns go."""
        link, shared = self.form.typed(), self._shared
        password = self.form.password.text() or self._password(link)
        known = link.how.matches

        def done(table: ReadTable) -> None:
            how = proposed(shared.catalogue, table, How(link.how.people, kind=link.how.kind))
            kept = {h: known[h] for h in table.headings if h in known}
            how = replace(how, matches={**how.matches, **kept})
            self.form.show_table(table, offered(shared.catalogue, how), how)
            self.unsaved.edited()
            rows = counted("1 row", "{count} rows", count=len(table.rows))
            self.result.setText(said("The table has {rows} now.", rows=rows))

        shared.reads.run(lambda: read_place(link, password), done, shared.voice.fail)

    def _password(self, link: Link) -> str:
        secrets = self._session.parts.secrets
        return (secrets.get(link.place) or "") if link.is_database else ""

    def _keep(self) -> None:
        link, shared = self.form.typed(), self._shared
        if not shared.leads:
            return
        try:
            link = _without_password(link)
            check_link(link)
        except NebbetError as error:
            shared.voice.say(error.sentence)
            return
        secrets, password = self._session.parts.secrets, self.form.password.text()
        library, catalogue, now = shared.library, shared.catalogue, shared.now()
        known = password or self._password(link)

        def write(seen: object) -> None:
            if password:
                secrets.keep(link.place, password)
            put_link(library, link, seen)
            read_link(library, catalogue, Linked(link), now, known)

        self.put(link.id, link, write, said("{name} is kept, and was read.", name=link.name))

    def _read_now(self) -> None:
        key = self.unsaved.key
        if key and key in self._links:
            self.result.setText(said("Reading…"))
            self._session.linking.read_now(key, lambda result: self.result.setText(_told(result)))

    def _remove(self) -> None:
        link = self.record(self.unsaved.key or "")
        if link is None or not self._shared.leads:
            return
        text = said("What came from it stays, and is changed here from then on.")
        title = said("Remove the link “{name}”?", name=link.name)
        if self._shared.voice.ask(title, text, said("Remove")):
            library = self._shared.library
            self.take_out(lambda: remove_link(library, link.id, link))


def _without_password(link: Link) -> Link:
    """A link whose address has no password in it: that is for the keyring."""
    if not link.is_database:
        return link
    try:
        url = make_url(link.place)
    except ArgumentError:
        raise NebbetError(
            said("“{place}” is no address of a database", place=link.place),
            kept=said("Nothing was kept"),
        ) from None
    if url.password:
        raise NebbetError(
            said("The address has a password in it"),
            kept=said("Nothing was kept"),
            advice=said("Put it into the field for it"),
        )
    return link


def _told(result: LinkResult | None) -> str:
    """What came of reading a table, in words."""
    if result is None:
        return said("It was not read yet.")
    when = f"{result.moment.astimezone():%d %b %Y %H:%M}"
    if result.failed:
        read = f"{result.read.astimezone():%d %b %Y %H:%M}" if result.read else said("never")
        return said("{when}: {why} It was read well last: {read}.", when=when, why=result.failed,
                    read=read)  # fmt: skip
    told = said(
        "{when}: {rows} rows, {new} new, {changed} changed, {gone} gone.",
        when=when, rows=f"{result.rows:,}", new=result.new, changed=result.changed,
        gone=result.gone,
    )  # fmt: skip
    return "\n".join((told, *result.refused))
