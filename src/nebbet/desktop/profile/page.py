"""The profile page."""

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.errors import NebbetError
from nebbet.core.records import Member
from nebbet.core.sentences import said
from nebbet.desktop.kit import asking, pieces
from nebbet.desktop.kit.member_form import MemberForm
from nebbet.desktop.kit.place import Place
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.profile.mailboxes import Mailboxes
from nebbet.desktop.session.session import Session
from nebbet.library.postgres import is_url, parted
from nebbet.personal.settings import Account


class ProfilePage(Place):
    """Edits the member that one is, the mail account and the hold time. signature tells that one
    wants to write one's signature."""

    title = "Profile"
    help = (
        "Your name and telephone number are what templates call sender. The mail account is how "
        "Nebbet sends from your own mailbox and files the copy in its Sent folder. The password "
        "goes into the desktop's keyring and nowhere else."
    )

    signature = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.person = MemberForm("You", with_role=False)
        self.mailboxes = Mailboxes()
        self.fields = self.person.fields | self.mailboxes.fields
        self.password = self.mailboxes.password
        self.language = self.person.language
        self.look = StillCombo()
        for look, words in _LOOKS.items():
            self.look.addItem(words, look)
        self.hold = QLineEdit()
        self.hold.setValidator(QIntValidator(0, 600, self))
        self.library, self.server_password = QLineEdit(), QLineEdit()
        self.library.setPlaceholderText("the one of this computer; or a file, or postgresql://…")
        self.server_password.setEchoMode(QLineEdit.EchoMode.Password)
        self.server_password.setPlaceholderText("as it is")
        self.save_button = pieces.button("Keep the profile", self.save, "primary", "Ctrl+S")
        self.try_button = pieces.button("Try the connection", self.try_connection)
        self.said_button = pieces.button(
            said("What was said…"),
            self.show_conversation,
            "",
            said("The last lines to the servers"),
        )
        self.told = pieces.label("", "note", wrap=True)
        self._lay_out()
        self.add_key("Keep the profile", "Ctrl+S", self.save)
        self._kept: Member | None = None  # until the library at hand says the same
        self.mailboxes.wrong.connect(self.told.setText)
        self.mailboxes.folders_wanted.connect(self.choose_folders)
        self.mailboxes.sign_in_wanted.connect(self.sign_in)
        session.settings_changed.connect(self.refresh)
        session.shared.changed.connect(self._known)

    def _lay_out(self) -> None:
        pieces.captioned(self.person.form, "Look", self.look)
        pieces.captioned(self.person.form, "Hold before sending, seconds", self.hold)
        self.signature_button = pieces.button("My signature…", self.signature.emit)
        library = self._form(
            "Library",
            [("File or server", self.library), ("Password of the server", self.server_password)],
        )
        left = QVBoxLayout()
        self.password_button = pieces.button(
            said("Choose another password for the server…"), self.choose_password, "words"
        )
        below = pieces.row(self.password_button, None)
        pieces.fill(left, self.person, library, below, None, spacing=18)
        both = QHBoxLayout()
        pieces.fill(both, left, self.mailboxes, spacing=24)
        both.setStretch(1, 1)
        both.addStretch(0)
        buttons = pieces.row(
            self.save_button, self.try_button, self.said_button, self.signature_button, None
        )
        inside = QWidget()
        pieces.fill(
            QVBoxLayout(inside),
            pieces.label("Profile", "title"),
            both,
            buttons,
            self.told,
            None,
            margin=24,
            spacing=12,
        )
        pieces.fill(QVBoxLayout(self), pieces.scrolled(inside))

    def _form(self, title: str, rows: list[tuple[str, QWidget]]) -> QWidget:
        box = QWidget()
        form = QFormLayout()
        form.setVerticalSpacing(6)
        for words, field in rows:
            field.setMinimumWidth(240)
            pieces.captioned(form, words, field)
        pieces.fill(QVBoxLayout(box), pieces.label(title, "heading"), pieces.rule(), form, None)
        return box

    def arrive(self) -> None:
        self.refresh()
        self.fields["first_name"].setFocus()

    def _known(self) -> None:
        self._kept = None

    def refresh(self) -> None:
        """Show what is kept."""
        self.person.show_member(self._kept or self._session.shared.me)
        self.signature_button.setVisible(self._session.shared.me is not None)
        self.password_button.setVisible(is_url(self._session.settings.library))
        me = self._session.shared.me
        self.mailboxes.team = me.mailboxes if me else ()
        self.mailboxes.show_accounts(self._session.settings.accounts)
        self.look.setCurrentIndex(max(self.look.findData(self._session.settings.look), 0))
        self.hold.setText(str(self._session.settings.hold_seconds))
        self.library.setText(self._session.settings.library)
        self.server_password.clear()

    def _library(self) -> tuple[str, str]:
        """Where the library is, and the password of its server: never kept in the settings."""
        place, password = self.library.text().strip(), self.server_password.text()
        if not is_url(place):
            return place, ""
        bare, typed = parted(place)
        kept = self._session.settings.library
        if is_url(kept) and parted(kept)[0] == bare:
            bare = kept  # the same place, as it was written before
        return bare, password or typed

    def save(self) -> None:
        """Keep the profile, unless the address is none."""
        try:
            account, *more = self.mailboxes.accounts()
            library, server_password = self._library()
            nobody = not any(self.fields[name].text().strip() for name in _WHO)
            member = None if nobody and self._session.following.state else self.person.member()
        except NebbetError as error:
            self.told.setText(error.sentence)
            return
        self.told.clear()
        own = self._session.settings.member
        if member is not None:
            member = replace(member, id=member.id or own or member.email)
        settings = replace(
            self._session.settings,
            member=member.id if member else own,
            library=library,
            account=account,
            more=tuple(more),
            hold_seconds=int(self.hold.text()) if self.hold.hasAcceptableInput() else 10,
            look=str(self.look.currentData()),
        )
        self._kept = member
        self._session.save_settings(
            settings, member, dict(self.mailboxes.passwords), server_password
        )

    def choose_password(self) -> None:
        """Give one's own login on the library's server another password."""
        title = said("Another password for the server")
        words = said(
            "A password of your own. Nebbet puts it into the keyring; nobody else knows it."
        )
        first = asking.ask_line(self, title, words, said("Take it"), secret=True)
        if not first:
            return
        again = asking.ask_line(
            self, title, said("Once more, the same."), said("Take it"), secret=True
        )
        if first == again:
            self._session.choose_server_password(first)
        else:
            self.told.setText(said("The two were not the same: the password is as it was."))

    def try_connection(self) -> None:
        """Log in to the mailbox with what stands on the page, and tell how it went."""

        def connect(account: Account, password: str) -> None:
            from nebbet.post import imap, smtp

            with imap.mailbox(account, password):
                pass
            smtp.try_login(account, password)

        fits = said("The mailbox can be reached and letters can go; the password fits both.")
        self._ask(connect, lambda _done: self.told.setText(fits), said("Trying…"))

    def _account(self) -> Account | None:
        """The mailbox at hand as it stands on the page; nothing, and why, where that makes no
        sense."""
        try:
            return self.mailboxes.account()
        except NebbetError as error:
            self.told.setText(error.sentence)
            return None

    def _ask(
        self,
        act: Callable[[Account, str], object],
        done: Callable[[Any], None],
        words: str,
    ) -> None:
        """Do something with the mailbox at hand, as it stands on the page; act gets its password or
        token."""
        account = self._account()
        if account is None:
            return
        typed, secrets = self.password.text(), self._session.parts.secrets
        self.told.setText(words)

        def work() -> object:
            from nebbet.post.secret import secret_of

            return act(account, typed or secret_of(account, secrets))

        self._session.network.run(
            work, done, lambda error: self.told.setText(said("{what}.", what=error.what))
        )

    def show_conversation(self) -> None:
        """Show what was said on the last lines of the mailbox at hand."""
        from nebbet.desktop.profile.conversation import ConversationBox

        box = ConversationBox(self, self.mailboxes.shown)
        box.exec()
        box.deleteLater()

    def sign_in(self) -> None:
        """Sign in to the mailbox at hand with a code."""
        from nebbet.desktop.profile.sign_in_box import SignInBox

        account = self._account()
        if account is None:
            return
        if not account.user:
            self.told.setText(said("First say whose mailbox it is: its user."))
            return
        box = SignInBox(self, self._session, account)
        if box.exec() and box.signed_in:
            self.mailboxes.show_sign_in(box.signed_in)
            self.told.setText(said("You are signed in. Keep the profile to use it."))
        box.deleteLater()

    def choose_folders(self) -> None:
        """Let the folders that are shown as arrived be chosen from those that the mailbox has."""

        def fetch(account: Account, password: str) -> list[str]:
            from nebbet.post import imap

            return imap.folder_names(account, password)

        def offer(names: list[str]) -> None:
            self.told.clear()
            chosen = asking.ask_several(
                self,
                said("Folders shown as arrived"),
                said("Messages in the ticked ones stand on your pile."),
                said("Take them"),
                names,
                self.mailboxes.shown.folders,
            )
            if chosen is not None:
                self.mailboxes.show_folders(chosen)

        self._ask(fetch, offer, said("Asking for the folders…"))


_LOOKS = {"": "as the desktop", "light": "light", "dark": "dark"}
_WHO = ("first_name", "last_name", "email")
