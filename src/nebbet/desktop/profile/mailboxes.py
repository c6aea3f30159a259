"""The mailboxes of one person: how each is reached, and what is shown of it."""

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import addresses
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.personal.settings import Account, SignIn
from nebbet.post.pace import limits_in_words, read_limits

_TEXTS = ("user", "smtp_host", "imap_host", "sent_folder", "certificate", "token_command")
_LEAST, _MOST = 220, 560  # pixels: of a field, of all
_TLS = {
    "": said("as its port says"),
    "at once": said("from the first byte (993, 465)"),
    "starttls": said("when it is asked for (143, 587)"),
}


class Mailboxes(QWidget):
    """Edits the accounts, one at a time. folders_wanted tells that the folders of the one at hand
    are to be chosen from those that it has, sign_in_wanted that somebody wants to sign in to it,
    wrong what stands in the way, as a sentence."""

    folders_wanted = Signal()
    sign_in_wanted = Signal()
    wrong = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._accounts: list[Account] = [Account()]
        self._at = 0
        self.team: tuple[str, ...] = ()  # the team's mailboxes that the person may send from
        self._folders: tuple[str, ...] = ()  # as they were chosen: a name may hold a comma
        self.passwords: dict[str, str] = {}  # that were typed, by the user of the mailbox
        self.choice = StillCombo()
        self.another = pieces.button(said("Another mailbox"), self.add, "words")
        self.remove = pieces.button(said("Take this one away"), self.take_away, "words")
        self.fields = {name: QLineEdit() for name in _TEXTS}
        self.froms, self.password = QLineEdit(), QLineEdit()
        self.froms.setPlaceholderText(said("its user; or Claims <claims@…>, with commas between"))
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setPlaceholderText(said("as it is"))
        self.sign_in = pieces.button(said("Sign in…"), self.sign_in_wanted.emit, "words")
        self.smtp_port, self.imap_port = QLineEdit(), QLineEdit()
        for port in (self.smtp_port, self.imap_port):
            port.setValidator(QIntValidator(1, 65535, self))
        self.tls = {"smtp_tls": StillCombo(), "imap_tls": StillCombo()}
        for box in self.tls.values():
            for how, words in _TLS.items():
                box.addItem(words, how)
        self.folders, self.limits = QLineEdit(), QLineEdit()
        self.folders.setPlaceholderText(said("none; or INBOX, with commas between several"))
        self.limits.setPlaceholderText(said("any number; or 10 a minute, 500 a day"))
        self.choose = pieces.button(said("Choose…"), self.folders_wanted.emit, "words")
        theme.named(self.choose, said("Choose the folders that are shown as arrived"))
        self._lay_out()
        self.choice.currentIndexChanged.connect(self._go_to)

    def _lay_out(self) -> None:
        folders, password = QWidget(), QWidget()
        pieces.fill(QHBoxLayout(folders), self.folders, self.choose, spacing=6)
        pieces.fill(QHBoxLayout(password), self.password, self.sign_in, spacing=6)
        form = QFormLayout()
        form.setVerticalSpacing(6)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        rows: list[tuple[str, QWidget]] = [
            (said("Mailbox"), self.choice),
            (said("Mailbox user"), self.fields["user"]),
            (said("Letters go from"), self.froms),
            (said("Password"), password),
            (said("Command for a token"), self.fields["token_command"]),
            (said("Sending server (SMTP)"), self.fields["smtp_host"]),
            (said("SMTP port"), self.smtp_port),
            (said("Its line is encrypted"), self.tls["smtp_tls"]),
            (said("Mailbox server (IMAP)"), self.fields["imap_host"]),
            (said("IMAP port"), self.imap_port),
            (said("That line is encrypted"), self.tls["imap_tls"]),
            (said("Folders shown as arrived"), folders),
            (said("Folder of sent messages"), self.fields["sent_folder"]),
            (said("Certificate file to trust"), self.fields["certificate"]),
            (said("Letters at most"), self.limits),
        ]
        for words, field in rows:
            field.setMinimumWidth(_LEAST)
            pieces.captioned(form, words, field)
        theme.named(self.password, said("Password"))
        theme.named(self.folders, said("Folders shown as arrived"))
        head = pieces.label(said("Mailboxes"), "heading")
        acts = pieces.row(self.another, self.remove, None)
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), form, acts, None)
        # A page that scrolls would press it together otherwise.
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setMaximumWidth(_MOST)

    # Showing

    def show_accounts(self, accounts: tuple[Account, ...]) -> None:
        """Show what is kept, with the mailbox at hand that was at hand before."""
        user = self._accounts[self._at].user
        self._accounts = list(accounts)
        self.passwords.clear()
        users = [one.user for one in accounts]
        self._show(users.index(user) if user in users else 0)

    def _show(self, at: int) -> None:
        self._at = at
        with QSignalBlocker(self.choice):
            self.choice.clear()
            for number, one in enumerate(self._accounts, 1):
                self.choice.addItem(one.user or said("mailbox {number}", number=number))
            self.choice.setCurrentIndex(at)
        self.remove.setVisible(at > 0)
        account = self._accounts[at]
        for name in _TEXTS:
            self.fields[name].setText(str(getattr(account, name)))
        for name, box in self.tls.items():
            box.setCurrentIndex(max(box.findData(getattr(account, name)), 0))
        self.froms.setText(", ".join(account.froms))
        self.show_folders(account.folders)
        self.limits.setText(limits_in_words(account.limits))
        self.smtp_port.setText(str(account.smtp_port))
        self.imap_port.setText(str(account.imap_port))
        self.password.setText(self.passwords.get(account.user, ""))
        signed_in = bool(account.sign_in.token_url)
        self.password.setPlaceholderText(said("signed in") if signed_in else said("as it is"))
        pieces.show_beginnings(self)

    def show_folders(self, names: tuple[str, ...]) -> None:
        """Show the folders that were chosen."""
        self._folders = names
        self.folders.setText(", ".join(names))

    def show_sign_in(self, sign_in: SignIn) -> None:
        """Take up how the mailbox at hand signs in; empty for with a password."""
        self._accounts[self._at] = replace(self.account(), sign_in=sign_in)
        self._show(self._at)

    # What stands there

    @property
    def shown(self) -> Account:
        """The mailbox at hand, as it was taken up last."""
        return self._accounts[self._at]

    def _read_folders(self) -> tuple[str, ...]:
        text = self.folders.text()
        if text == ", ".join(self._folders):
            return self._folders
        return tuple(filter(None, map(str.strip, text.split(","))))

    def account(self) -> Account:
        """The mailbox at hand as it stands there. Raises NebbetError where something is wrong."""
        texts = {name: self.fields[name].text().strip() for name in _TEXTS}
        return replace(
            self._accounts[self._at],
            froms=_read_froms(self.froms.text()),
            smtp_port=_number(self.smtp_port, 587),
            imap_port=_number(self.imap_port, 143),
            limits=read_limits(self.limits.text()),
            folders=self._read_folders(),
            **{name: box.currentData() for name, box in self.tls.items()},
            **texts,
        )

    def accounts(self) -> tuple[Account, ...]:
        """All mailboxes; those without a user are left out, but for the first. Raises NebbetError
        where something is wrong in the one at hand, or two have the same user."""
        self._take_up()
        first, *more = self._accounts
        found = (first, *(one for one in more if one.user))
        users = [one.user for one in found]
        twice = next((user for user in users if users.count(user) > 1), None)
        if twice:
            raise NebbetError(
                said("Two mailboxes have the user {user}", user=twice),
                advice=said("Give them different ones, or take one away"),
            )
        return found

    def _take_up(self) -> None:
        account = self.account()
        self._accounts[self._at] = account
        if typed := self.password.text():
            self.passwords[account.user] = typed
            # Whoever types a password goes in with it from now on.
            self._accounts[self._at] = replace(account, sign_in=SignIn())

    # Acts

    def _go_to(self, at: int) -> None:
        if at < 0 or at == self._at:
            return
        self._leave(lambda: self._show(at))

    def add(self) -> None:
        """Begin another mailbox, at the servers of the one at hand: one of the team's that is not
        there yet, or whichever the person names."""

        def begin() -> None:
            near = self._accounts[self._at]
            missing = (
                one for one in self.team if not any(a.sends_from(one) for a in self._accounts)
            )
            user = next(missing, "")
            self._accounts.append(replace(near, user=user, froms=(), token_command=""))
            self._show(len(self._accounts) - 1)
            (self.password if user else self.fields["user"]).setFocus()

        self._leave(begin)

    def take_away(self) -> None:
        """Take the mailbox at hand away from the profile; its messages stay where they are."""
        if self._at > 0:
            self.passwords.pop(self._accounts.pop(self._at).user, None)
            self._show(self._at - 1)

    def _leave(self, go_on: Callable[[], None]) -> None:
        """Take up what stands there and go on; what is wrong is said, and stays."""
        try:
            self._take_up()
        except NebbetError as error:
            with QSignalBlocker(self.choice):
                self.choice.setCurrentIndex(self._at)
            self.wrong.emit(error.sentence)
            return
        go_on()


def _read_froms(text: str) -> tuple[str, ...]:
    """The addresses that letters go from, as they are typed. Raises NebbetError for others."""
    found, problems = addresses.read(text)
    if problems:
        raise NebbetError(
            said("“{text}” is not a mail address: {reason}",
                 text=problems[0].text, reason=problems[0].reason),
            advice=said("Mend it in “Letters go from”"),
        )  # fmt: skip
    return tuple(addresses.write((one,)) for one in found)


def _number(field: QLineEdit, otherwise: int) -> int:
    """The number in a field; an empty or half-typed one counts as the usual value."""
    return int(field.text()) if field.hasAcceptableInput() else otherwise
