"""The first start: who one is, one's mailbox, one's library, each with its result beside it."""

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from nebbet.core import addresses
from nebbet.core.records import Member
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.session import Session
from nebbet.personal.settings import Account
from nebbet.post.finding import Servers

_WIDE = 300  # pixels of a step


class FirstStart(Place):
    """Three steps, in any order; none waits for another. begin tells that somebody wants to begin,
    by_hand that they know more than is asked here, pack that they have a pack of templates."""

    title = "Welcome"
    help = (
        "Three steps: who you are, your mailbox, your library. Each says beside it how it went. "
        "Nothing that you typed is lost when another step fails. The password goes into the "
        "desktop's keyring, or stays in memory until you quit."
    )
    begin = Signal()
    by_hand = Signal()
    pack = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.first, self.last, self.address = QLineEdit(), QLineEdit(), QLineEdit()
        self.user, self.password = QLineEdit(), QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.host = QLineEdit()
        self.host.setPlaceholderText(said("found by itself; or its name"))
        self.me_button = pieces.button(said("This is me"), self.keep_me)
        self.mail_button = pieces.button(said("Find it and try it"), self.find_mailbox)
        self.samples_button = pieces.button(said("Begin with five samples"), self.put_up_samples)
        self.empty_button = pieces.button(said("Begin empty"), self.begin_empty)
        self.pack_button = pieces.button(said("Take a pack…"), self.pack.emit, "words")
        self.other_button = pieces.button(said("A file or a server…"), self.by_hand.emit, "words")
        self.me_told, self.mail_told, self.library_told = (
            pieces.label("", "note", wrap=True) for _ in range(3)
        )
        self.go_button = pieces.button(said("Begin"), self.begin.emit, "primary", "Ctrl+Return")
        self._lay_out()
        self.address.textEdited.connect(self._follow_address)
        self.user.textEdited.connect(lambda _text: self.user.setModified(True))
        self.last.returnPressed.connect(self.address.setFocus)
        self.address.returnPressed.connect(self.keep_me)
        for line in (self.password, self.host):
            line.returnPressed.connect(self.find_mailbox)
        self.add_key("Begin", "Ctrl+Return", self.begin.emit)
        session.shared.changed.connect(self._show_library)

    def _lay_out(self) -> None:
        you = self._step(
            said("1  You"), said("What your letters say of who writes them."),
            [(said("First name"), self.first), (said("Last name"), self.last),
             (said("Mail address"), self.address)],
            (self.me_button,), self.me_told,
        )  # fmt: skip
        mail = self._step(
            said("2  Your mailbox"),
            said("Letters go from it, and what arrives there is shown. The servers are found from "
                 "the address."),
            [(said("Address or user"), self.user), (said("Password"), self.password),
             (said("Server"), self.host)],
            (self.mail_button, pieces.button(said("By hand…"), self.by_hand.emit, "words")),
            self.mail_told,
        )  # fmt: skip
        library = self._step(
            said("3  Your library"),
            said("Where templates are. On this computer there is an empty one; a team shares a "
                 "file or a server."),
            [],
            (self.samples_button, self.empty_button, self.pack_button, self.other_button),
            self.library_told,
        )  # fmt: skip
        steps = QHBoxLayout()
        pieces.fill(steps, you, mail, library, None, spacing=28)
        inside = QWidget()
        pieces.fill(
            QVBoxLayout(inside), pieces.label(said("Welcome to Nebbet"), "title"),
            pieces.label(said("Three steps, in any order. What is missing can be added later."),
                         "faint"),
            steps, pieces.row(self.go_button, None), None, margin=28, spacing=16,
        )  # fmt: skip
        pieces.fill(QVBoxLayout(self), pieces.scrolled(inside))

    def _step(
        self,
        title: str,
        words: str,
        fields: list[tuple[str, QLineEdit]],
        buttons: tuple[QWidget, ...],
        told: QWidget,
    ) -> QWidget:
        box = QWidget()
        box.setFixedWidth(_WIDE)
        form = QFormLayout()
        form.setVerticalSpacing(6)
        for name, field in fields:
            pieces.captioned(form, name, field)
        pieces.fill(
            QVBoxLayout(box), pieces.label(title, "heading"), pieces.rule(),
            pieces.label(words, "faint", wrap=True), form, *buttons, told, None, spacing=8,
        )  # fmt: skip
        return box

    def arrive(self) -> None:
        me = self._session.shared.me
        if me and not self.address.text():
            self.first.setText(me.first_name)
            self.last.setText(me.last_name)
            self.address.setText(me.email)
        self._show_library()
        next((line for line in (self.first, self.last, self.address, self.password)
              if not line.text()), self.go_button).setFocus()  # fmt: skip

    def _follow_address(self, text: str) -> None:
        """The mailbox has the address of the person, unless they say otherwise."""
        if not self.user.isModified():
            self.user.setText(text)

    # You

    def keep_me(self) -> None:
        """Keep who one is."""
        found = addresses.one(self.address.text())
        names = (self.first.text().strip(), self.last.text().strip())
        if not isinstance(found, addresses.Address) or not any(names):
            self._tell(self.me_told, said("A name and a mail address are needed."), "stop")
            return
        known = self._session.shared.me
        member = replace(known or Member("", "", "", ""), first_name=names[0], last_name=names[1],
                         email=found.spec)  # fmt: skip
        member = replace(member, id=member.id or self._session.settings.member or found.spec)
        settings = replace(self._session.settings, member=member.id)
        self._session.save_settings(settings, member, {})
        self._tell(self.me_told, said("Your letters will be signed {name}.", name=member.name),
                   "done")  # fmt: skip
        self.password.setFocus()

    # The mailbox

    def find_mailbox(self) -> None:
        """Find the servers, log in, and let a message go to oneself and come back."""
        user, password = self.user.text().strip(), self.password.text()
        if not user or not password:
            self._tell(self.mail_told, said("The address and the password are needed."), "stop")
            return
        self.mail_button.setEnabled(False)
        self._tell(self.mail_told, said("Looking for the servers…"), "note")
        known = self._known_account(user)
        address = user if "@" in user else self.address.text().strip()

        def find() -> Servers:
            from nebbet.post.finding import find_servers

            return find_servers(address, password, known)

        self._run(find, lambda found: self._found(found, password, address))

    def _known_account(self, user: str) -> Account:
        account, host = self._session.settings.account, self.host.text().strip()
        if account.imap_host and (not host or host == account.imap_host):
            return replace(account, user=user)
        return replace(Account(certificate=account.certificate), user=user, imap_host=host,
                       smtp_host=host, imap_port=993, smtp_port=465) if host else Account(
                           user=user, certificate=account.certificate)  # fmt: skip

    def _found(self, found: Servers, password: str, address: str) -> None:
        lines = [said("{server}: {answer}.", server=one.words, answer=one.answer)
                 for one in found.tried if not one.silent]  # fmt: skip
        silent = ", ".join(dict.fromkeys(one.words for one in found.tried if one.silent))
        if silent and not (found.reads and found.sends):
            lines.append(said("Nothing answers at {servers}.", servers=silent))
        if not (found.reads and found.sends):
            lines.append(said("Say the server's name, or fill it in by hand."))
            self._failed("\n".join(lines))
            return
        settings, user = replace(self._session.settings, account=found.account), found.account.user
        self._session.save_settings(settings, self._session.shared.me, {user: password})
        lines.append(said("A message goes to yourself…"))
        self._tell(self.mail_told, "\n".join(lines), "note")
        session = self._session
        moment, token = session.shared.now(), session.parts.token()

        def go() -> float:
            from nebbet.post.finding import send_to_oneself

            return send_to_oneself(found.account, password, address, moment, token)

        def came(seconds: float) -> None:
            lines[-1] = said("A message to yourself went and came back in {seconds} seconds.",
                             seconds=f"{seconds:.1f}")  # fmt: skip
            self.mail_button.setEnabled(True)
            self._tell(self.mail_told, "\n".join(lines), "done")

        self._run(go, came)

    def _run(self, call: Callable[[], object], done: Callable[[Any], None]) -> None:
        self._session.network.run(call, done, lambda error: self._failed(error.sentence))

    def _failed(self, words: str) -> None:
        self.mail_button.setEnabled(True)
        self._tell(self.mail_told, words, "stop")

    # The library

    def put_up_samples(self) -> None:
        """Put up a shelf of samples."""
        shared = self._session.shared
        if shared.me is None:
            self._tell(self.library_told, said("First say who you are: the samples are yours."),
                       "stop")  # fmt: skip
            return
        library, author, moment = shared.library, shared.my_id, shared.now()

        def put() -> None:
            from nebbet.library.starter import put_up_samples

            put_up_samples(library, author, moment)

        shared.change(put, lambda _done: self._show_library(), once="samples")

    def begin_empty(self) -> None:
        """Begin with no template."""
        self._tell(self.library_told, said("The library is empty: New template begins one."),
                   "done")  # fmt: skip

    def _show_library(self) -> None:
        count = len(self._session.shared.catalogue.templates)
        self.samples_button.setVisible(not count)
        self.empty_button.setVisible(not count)
        if count:
            self._tell(self.library_told, said("The library has {count} templates.", count=count),
                       "done")  # fmt: skip

    def _tell(self, label: QWidget, words: str, tone: str) -> None:
        label.setObjectName(tone)
        label.setText(words)  # type: ignore[attr-defined]
        theme.named(label, words.replace("\n", " "))
        label.style().polish(label)
