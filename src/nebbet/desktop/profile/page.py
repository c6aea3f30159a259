"""The profile page."""

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
from nebbet.desktop.session.session import Session
from nebbet.library.postgres import is_url, parted
from nebbet.personal.settings import Account
from nebbet.post.pace import limits_in_words, read_limits


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
        self.fields = self.person.fields | {name: QLineEdit() for name in _ACCOUNT}
        self.language = self.person.language
        self.look = StillCombo()
        for look, words in _LOOKS.items():
            self.look.addItem(words, look)
        self.hold, self.smtp_port, self.imap_port = QLineEdit(), QLineEdit(), QLineEdit()
        self.tls = {"smtp_tls": StillCombo(), "imap_tls": StillCombo()}
        for box in self.tls.values():
            for how, words in _TLS.items():
                box.addItem(words, how)
        self.folders = QLineEdit()
        self.folders.setPlaceholderText(said("none; or INBOX, with commas between several"))
        self.limits = QLineEdit()
        self.limits.setPlaceholderText(said("any number; or 10 a minute, 500 a day"))
        self.hold.setValidator(QIntValidator(0, 600, self))
        for port in (self.smtp_port, self.imap_port):
            port.setValidator(QIntValidator(1, 65535, self))
        self.password = QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setPlaceholderText("as it is")
        self.library, self.server_password = QLineEdit(), QLineEdit()
        self.library.setPlaceholderText("the one of this computer; or a file, or postgresql://…")
        self.server_password.setEchoMode(QLineEdit.EchoMode.Password)
        self.server_password.setPlaceholderText("as it is")
        self.save_button = pieces.button("Keep the profile", self.save, "primary", "Ctrl+S")
        self.try_button = pieces.button("Try the connection", self.try_connection)
        self.told = pieces.label("", "note", wrap=True)
        self._lay_out()
        self.add_key("Keep the profile", "Ctrl+S", self.save)
        self._kept: Member | None = None  # until the library at hand says the same
        session.settings_changed.connect(self.refresh)
        session.shared.changed.connect(self._known)

    def _lay_out(self) -> None:
        pieces.captioned(self.person.form, "Look", self.look)
        self.signature_button = pieces.button("My signature…", self.signature.emit)
        account = self._form(
            "Mail account",
            [
                ("Mailbox user", self.fields["user"]),
                ("Password", self.password),
                (said("Command for a token"), self.fields["token_command"]),
                ("Sending server (SMTP)", self.fields["smtp_host"]),
                ("SMTP port", self.smtp_port),
                (said("Its line is encrypted"), self.tls["smtp_tls"]),
                ("Mailbox server (IMAP)", self.fields["imap_host"]),
                ("IMAP port", self.imap_port),
                (said("That line is encrypted"), self.tls["imap_tls"]),
                (said("Folders shown as arrived"), self.folders),
                ("Folder of sent messages", self.fields["sent_folder"]),
                ("Certificate file to trust", self.fields["certificate"]),
                ("Hold before sending, seconds", self.hold),
                (said("Letters at most"), self.limits),
            ],
        )
        library = self._form(
            "Library",
            [("File or server", self.library), ("Password of the server", self.server_password)],
        )
        right = QVBoxLayout()
        self.password_button = pieces.button(
            said("Choose another password for the server…"), self.choose_password, "words"
        )
        below = pieces.row(self.password_button, None)
        pieces.fill(right, account, library, below, None, spacing=18)
        both = QHBoxLayout()
        pieces.fill(both, self.person, right, None, spacing=24)
        buttons = pieces.row(self.save_button, self.try_button, self.signature_button, None)
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
        account = self._session.settings.account
        self.person.show_member(self._kept or self._session.shared.me)
        self.signature_button.setVisible(self._session.shared.me is not None)
        self.password_button.setVisible(is_url(self._session.settings.library))
        for name in _ACCOUNT:
            self.fields[name].setText(str(getattr(account, name)))
        self.look.setCurrentIndex(max(self.look.findData(self._session.settings.look), 0))
        for name, box in self.tls.items():
            box.setCurrentIndex(max(box.findData(getattr(account, name)), 0))
        self.folders.setText(", ".join(account.folders))
        self.limits.setText(limits_in_words(account.limits))
        self.smtp_port.setText(str(account.smtp_port))
        self.imap_port.setText(str(account.imap_port))
        self.hold.setText(str(self._session.settings.hold_seconds))
        self.library.setText(self._session.settings.library)
        self.password.clear()
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

    def _account(self) -> Account:
        texts = {name: self.fields[name].text().strip() for name in _ACCOUNT}
        return replace(
            self._session.settings.account,
            smtp_port=_number(self.smtp_port, 587),
            imap_port=_number(self.imap_port, 143),
            limits=read_limits(self.limits.text()),
            folders=tuple(filter(None, map(str.strip, self.folders.text().split(",")))),
            **{name: box.currentData() for name, box in self.tls.items()},
            **texts,
        )

    def save(self) -> None:
        """Keep the profile, unless the address is none."""
        try:
            account = self._account()
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
            hold_seconds=_number(self.hold, 10),
            look=str(self.look.currentData()),
        )
        self._kept = member
        self._session.save_settings(settings, member, self.password.text(), server_password)

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
        try:
            account = self._account()
        except NebbetError as error:
            self.told.setText(error.sentence)
            return
        typed, secrets = self.password.text(), self._session.parts.secrets
        self.told.setText("Trying…")

        def connect() -> None:
            from nebbet.post import imap
            from nebbet.post.secret import secret_of

            with imap.mailbox(account, typed or secret_of(account, secrets)):
                pass

        self._session.network.run(
            connect,
            lambda _done: self.told.setText("The mailbox can be reached, and the password fits."),
            lambda error: self.told.setText(f"{error.what}."),
        )


def _number(field: QLineEdit, otherwise: int) -> int:
    """The number in a field; an empty or half-typed one counts as the usual value."""
    return int(field.text()) if field.hasAcceptableInput() else otherwise


_LOOKS = {"": "as the desktop", "light": "light", "dark": "dark"}
_TLS = {
    "": said("as its port says"),
    "at once": said("from the first byte (993, 465)"),
    "starttls": said("when it is asked for (143, 587)"),
}
_WHO = ("first_name", "last_name", "email")
_ACCOUNT = ("user", "smtp_host", "imap_host", "sent_folder", "certificate", "token_command")
