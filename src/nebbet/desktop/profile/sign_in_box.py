"""Signing in to a mailbox with a code that is typed at the provider's page."""

from msgspec.structs import replace
from PySide6.QtCore import QTimer, QUrl
from PySide6.QtGui import QDesktopServices, QGuiApplication
from PySide6.QtWidgets import QDialog, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.body.schemes import scheme_of
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.session.session import Session
from nebbet.personal.settings import Account, SignIn
from nebbet.post.sign_in import Offer, Tokens, Waiting

_WIDTH = 560
_FIELDS = {
    "device_url": said("Address for codes"),
    "token_url": said("Address for tokens"),
    "client": said("Nebbet's name there"),
    "scope": said("What for"),
}


class SignInBox(QDialog):
    """Asks for a code, shows it, and waits until somebody has typed it. signed_in is then how the
    account signs in. Esc leaves."""

    def __init__(self, over: QWidget, session: Session, account: Account) -> None:
        super().__init__(over.window())
        self._session, self._account = session, account
        self.signed_in: SignIn | None = None
        self._offer: Offer | None = None
        self.setWindowTitle(said("Sign in to {user}", user=account.user or "–"))
        self.setMinimumWidth(_WIDTH)
        self.fields = {name: QLineEdit(getattr(account.sign_in, name)) for name in _FIELDS}
        form = QFormLayout()
        for name, field in self.fields.items():
            pieces.captioned(form, _FIELDS[name], field)
        self.begin = pieces.button(said("Ask for a code"), self.ask, "primary")
        self.begin.setDefault(True)
        self.code = pieces.label("", "title")
        self.page_button = pieces.button(said("Open the page"), self._open_page)
        self.copy_button = pieces.button(said("Copy the code"), self._copy)
        self.told = pieces.label("", "note", wrap=True)
        for part in (self.code, self.page_button, self.copy_button):
            part.hide()
        note = said("Whoever runs the mailbox says what belongs here.")
        pieces.fill(
            QVBoxLayout(self),
            pieces.label(self.windowTitle(), "title"),
            pieces.label(note, "note", wrap=True),
            form,
            self.code,
            pieces.row(self.copy_button, self.page_button, None),
            self.told,
            pieces.row(None, pieces.button(said("Leave (Esc)"), self.reject), self.begin),
            margin=18,
            spacing=10,
        )

    def ask(self) -> None:
        """Ask for a code."""
        texts = {name: field.text().strip() for name, field in self.fields.items()}
        self._account = replace(self._account, sign_in=SignIn(**texts))
        account = self._account
        self.begin.setEnabled(False)
        self.told.setText(said("Asking for a code…"))

        def begin() -> Offer:
            from nebbet.post import sign_in

            return sign_in.begin(account)

        self._session.network.run(begin, self._show, self._failed)

    def _show(self, offer: Offer) -> None:
        if self.isHidden():
            return
        self._offer = offer
        self.code.setText(offer.user_code)
        theme.named(self.code, said("The code: {code}", code=offer.user_code))
        self.told.setText(
            said("Type this code at {page}. Nebbet waits until you have.",
                 page=offer.verification_uri)
        )  # fmt: skip
        for part in (self.code, self.page_button, self.copy_button):
            part.show()
        self._wait(offer, offer.interval)

    def _wait(self, offer: Offer, seconds: int) -> None:
        QTimer.singleShot(seconds * 1000, self, lambda: self._look(offer, seconds))

    def _look(self, offer: Offer, seconds: int) -> None:
        account, secrets = self._account, self._session.parts.secrets
        if self.isHidden() or offer is not self._offer:
            return

        def look() -> Waiting | bool:
            from nebbet.post import sign_in
            from nebbet.post.secret import keep_tokens

            found = sign_in.ask(account, offer, seconds)
            return keep_tokens(account, secrets, found) if isinstance(found, Tokens) else found

        def told(found: Waiting | bool) -> None:
            if isinstance(found, Waiting):
                self._wait(offer, found.seconds)
                return
            self.signed_in = account.sign_in
            if not found:
                self._session.voice.say(
                    said("There is no keyring here: you are signed in until you quit.")
                )
            self.accept()

        self._session.network.run(look, told, self._failed)

    def _failed(self, error: NebbetError) -> None:
        self._offer = None
        self.begin.setEnabled(True)
        self.told.setText(error.sentence)

    def _open_page(self) -> None:
        if self._offer and scheme_of(self._offer.verification_uri) in ("http", "https"):
            QDesktopServices.openUrl(QUrl(self._offer.verification_uri))

    def _copy(self) -> None:
        if self._offer:
            QGuiApplication.clipboard().setText(self._offer.user_code)
