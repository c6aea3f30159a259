"""How the member at hand logs in to the library's server, for a lead."""

from collections.abc import Callable
from datetime import datetime, timedelta

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core.records import Member
from nebbet.core.sentences import said
from nebbet.desktop.kit import asking, pieces
from nebbet.desktop.session.shared_library import SharedLibrary

_HOLDS = timedelta(days=7)


class LoginBox(QWidget):
    """Lets a member in, gives them a password to begin with, and lets them go. Only where the
    library is on a server."""

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._member: Member | None = None
        self._logins: dict[str, str] = {}
        self.state = pieces.label("", "note", wrap=True)
        self.password = pieces.label("", "heading", wrap=True)
        self.password.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.let_in_button = pieces.button(said("Let in…"), self.let_in)
        self.password_button = pieces.button(said("New password"), self.new_password)
        self.left_button = pieces.button(said("Has left the team"), self.let_go, "words")
        self.copy_button = pieces.button(said("Copy the password"), self._copy, "words")
        pieces.fill(
            QVBoxLayout(self),
            pieces.label(said("Login"), "heading"),
            pieces.rule(),
            self.state,
            self.password,
            pieces.row(self.copy_button, None),
            pieces.row(self.let_in_button, self.password_button, self.left_button, None),
            margin=0,
        )

    @property
    def on_server(self) -> bool:
        """Whether there are logins at all."""
        shared = self._shared
        return shared.is_open and shared.library.engine.dialect.name == "postgresql"

    def keeping(self, member: Member) -> Callable[[object], object]:
        """What keeps a member in the library: of one who can log in, the role on the server,
        too."""
        library, login = self._shared.library, self._logins.get(member.id)
        if not login or member.left:
            return lambda seen: library.put(member, seen=seen)
        from nebbet.library.logins import let_in

        def keep(seen: object) -> None:
            library.check_reach(said("The change cannot be kept"))
            let_in(library.engine, member, login, seen=seen)

        return keep

    def show_member(self, member: Member | None) -> None:
        """Take up the member at hand."""
        if member is None or self._member is None or member.id != self._member.id:
            self.password.setText("")
        self._member = member
        self.setVisible(self.on_server and self._shared.leads and member is not None)
        if not self.isHidden():
            self._show()
            self._ask()

    def _ask(self) -> None:
        from nebbet.library.logins import logins

        library = self._shared.library

        def read() -> dict[str, str]:
            library.check_reach(said("The logins cannot be read"))
            return logins(library.engine)

        def show(found: dict[str, str]) -> None:
            self._logins = found
            self._show()

        self._shared.reads.run(read, show, lambda _error: None)

    def _show(self) -> None:
        member = self._member
        if member is None:
            return
        login = self._logins.get(member.id, "")
        words = said("Cannot log in yet.")
        if member.left:
            self.password.setText("")
            words = said("Left the team, and cannot log in. What they wrote stays.")
        elif login:
            words = said("Logs in as {login}.", login=login)
        self.state.setText(words)
        away = member.left or not login
        self.let_in_button.setText(said("Let in again") if member.left else said("Let in…"))
        self.let_in_button.setVisible(away)
        self.password_button.setVisible(not away)
        self.left_button.setVisible(not away and member.id != self._shared.my_id)
        self.copy_button.setVisible(bool(self.password.text()))
        self.password.setVisible(bool(self.password.text()))

    # Acts

    def let_in(self) -> None:
        """Let the member in under a login, with a password to begin with."""
        member = self._member
        if member is None:
            return
        login = self._logins.get(member.id, "")
        if not login:
            asked = asking.ask_line(
                self,
                said("Let {name} in", name=member.name),
                said("The login on the server. It need not be known there yet."),
                said("Let in"),
                member.id,
            )
            if not asked:
                return
            login = asked
        self._admit(member, login)

    def new_password(self) -> None:
        """Give the member another password to begin with."""
        member = self._member
        if member is not None and member.id in self._logins:
            self._admit(member, self._logins[member.id])

    def _admit(self, member: Member, login: str) -> None:
        from nebbet.library import logins

        library, password = self._shared.library, logins.one_time()
        until = self._shared.now() + _HOLDS

        def act() -> None:
            library.check_reach(said("The member cannot be let in"))
            logins.let_in(library.engine, member, login, password=password, until=until)

        self._do(act, lambda: self._tell(member, password, until))

    def _tell(self, member: Member, password: str, until: datetime) -> None:
        if self._member is not None and self._member.id == member.id:
            self.password.setText(password)
            self._show()
            self.copy_button.setFocus()
        self._shared.voice.say(
            said(
                "{name} is let in. The password to begin with stands beside, and only now: it "
                "holds until {until}.",
                name=member.name,
                until=f"{until:%d %b %Y}",
            )
        )

    def let_go(self) -> None:
        """The member has left the team."""
        member = self._member
        if member is None or not self._shared.voice.ask(
            said("Has {name} left the team?", name=member.name),
            said(
                "They cannot log in any more. What they wrote stays, and they can be let in again."
            ),
            said("They have left"),
        ):
            return
        from nebbet.library import logins

        library = self._shared.library

        def act() -> None:
            library.check_reach(said("The member cannot be let go"))
            logins.let_go(library.engine, member.id)

        words = said("{name} has left the team.", name=member.name)
        self._do(act, lambda: self._shared.voice.say(words))

    def _do(self, act: Callable[[], None], done: Callable[[], None]) -> None:
        def after(_result: object) -> None:
            done()
            self._ask()

        self._shared.change(act, after, once="login")

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(self.password.text())
        self._shared.voice.say(said("The password is copied."))
