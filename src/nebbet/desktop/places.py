"""The places of the window: each made when it is first visited, and the ways between them."""

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QMainWindow, QPushButton, QStackedWidget

from nebbet.core.message.head import Head
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.kit.place import Place

if TYPE_CHECKING:
    from nebbet.core.message.links import Prepared
    from nebbet.core.records import Matter, Person
    from nebbet.desktop.letters.page import LettersPage
    from nebbet.desktop.people.page import PeoplePlace
    from nebbet.desktop.profile.first_start import FirstStart
    from nebbet.desktop.profile.page import ProfilePage
    from nebbet.desktop.register.page import RegisterPage
    from nebbet.desktop.rounds.page import RoundsPage
    from nebbet.desktop.session.choices import Show
    from nebbet.desktop.session.session import Session
    from nebbet.desktop.shelves.page import LibraryPage
    from nebbet.library.entries import Registered


class Places(QMainWindow):
    """A window with places on a stack."""

    _stack: QStackedWidget
    place_buttons: dict[str, QPushButton]
    find_field: Picker

    @cached_property
    def session(self) -> "Session":
        """What all places share."""
        raise NotImplementedError

    # Places, made when they are first visited

    @cached_property
    def letters(self) -> "LettersPage":
        """The place Letters."""
        from nebbet.desktop.letters.page import LettersPage

        page = LettersPage(self.session)
        page.person_wanted.connect(self._show_person)
        page.entry_wanted.connect(lambda key: self._found(f"sent:{key}"))
        page.round_wanted.connect(self._show_round)
        self._stack.addWidget(page)
        return page

    @cached_property
    def people(self) -> "PeoplePlace":
        """The place People."""
        from nebbet.desktop.people.page import PeoplePlace

        page = PeoplePlace(self.session)
        page.write.connect(self._write_to)
        page.again.connect(self._write_again)
        page.entry_wanted.connect(self._show_letter)
        self._stack.addWidget(page)
        return page

    @cached_property
    def library(self) -> "LibraryPage":
        """The place Library."""
        from nebbet.desktop.shelves.page import LibraryPage

        page = LibraryPage(self.session.shared)
        page.take.connect(self._take)
        self._stack.addWidget(page)
        return page

    @cached_property
    def rounds(self) -> "RoundsPage":
        """The place Rounds."""
        from nebbet.desktop.rounds.page import RoundsPage

        page = RoundsPage(self.session)
        self._stack.addWidget(page)
        return page

    def _show_round(self, round_id: str) -> None:
        self.go(self.rounds)
        self.rounds.open_round(round_id)

    @cached_property
    def register(self) -> "RegisterPage":
        """The place Register."""
        from nebbet.desktop.register.page import RegisterPage

        page = RegisterPage(self.session.shared, self.session.sending)
        page.reworded.connect(self._edit)
        page.write_to.connect(self._write_to)
        page.person_wanted.connect(self._show_person)
        self._stack.addWidget(page)
        return page

    @cached_property
    def first_start(self) -> "FirstStart":
        """The page of the first start."""
        from nebbet.desktop.profile.first_start import FirstStart

        page = FirstStart(self.session)
        page.begin.connect(lambda: self.go(self.letters))
        page.by_hand.connect(lambda: self.go(self.profile))
        page.pack.connect(self._take_pack)
        self._stack.addWidget(page)
        return page

    @cached_property
    def profile(self) -> "ProfilePage":
        """One's own profile."""
        from nebbet.desktop.profile.page import ProfilePage

        page = ProfilePage(self.session)
        page.signature.connect(self._write_signature)
        self._stack.addWidget(page)
        return page

    def _take_pack(self) -> None:
        self.library.in_and_out.packs.ask_which()

    def _show_letter(self, key: str) -> None:
        """Show a letter of the register, or a message that arrived."""
        self._found(key if key.startswith("arrived:") else f"sent:{key}")

    def _show_person(self, key: str) -> None:
        """Go to the page of somebody on file."""
        self.go(self.people)
        self.people.view.show_person(key)

    @property
    def places(self) -> list[Place]:
        """The places of the band, in its order."""
        return [self.letters, self.people, self.library, self.rounds, self.register]

    def go_to(self, key: str) -> None:
        """Go to a place of the band."""
        self.go(getattr(self, key))

    @property
    def place(self) -> Place:
        """The page that is shown."""
        page = self._stack.currentWidget()
        assert isinstance(page, Place)
        return page

    def go(self, page: Place) -> None:
        """Go to a place."""
        if page is not self.place:
            self.place.gone()
        self._stack.setCurrentWidget(page)
        for key, made in self.place_buttons.items():
            made.setChecked(self.__dict__.get(key) is page)
        page.arrive()

    def _edit(self, template: str) -> None:
        self.go(self.library)
        self.library.edit(template)

    def _write_signature(self) -> None:
        self.go(self.library)
        self.library.show_signature()

    def _write_to(self, person: "Person | None", matter: "Matter | None") -> None:
        self.go(self.letters)
        self.letters.begin.write_to(person, matter)

    def _write_again(self, entry: "Registered") -> None:
        self.go(self.letters)
        self.letters.begin.like(entry)

    def write_prepared(self, found: "Prepared") -> None:
        """Begin a letter as a link prepares it."""
        self.go(self.letters)
        self.letters.begin.prepared(found)

    def _take(self, template: str) -> None:
        self.go(self.letters)
        self.letters.begin.take(template)

    def _offer(self, words: str, show: "Show") -> None:
        from nebbet.desktop.find_field import everything

        everything(self.session.shared, self.session.arrived, words, show)

    def _found(self, key: str) -> None:
        """Open what the find field gave."""
        kind, _, found = key.partition(":")
        self.find_field.show_text("")
        if kind == "template":
            self.go(self.library)
            self.library.show(found)
        elif kind == "arrived":
            self.go(self.letters)
            self.letters.arriving.open_key(found)
        elif kind == "mailbox":
            self._find_in_mailboxes(found)
        elif kind == "sent":
            self.go(self.register)
            self.register.show_entry(found)
        else:
            self.go(self.people)
            (self.people.show_person if kind == "person" else self.people.show_case)(found)

    def _find_in_mailboxes(self, words: str) -> None:
        from nebbet.desktop.find_field import in_mailboxes

        voice, mail = self.session.voice, self.session.arrived

        def came(heads: list[Head]) -> None:
            if not heads:
                voice.say(said("No message of the mailbox has the words “{words}”.", words=words))
            elif self.find_field.hasFocus():
                self.find_field.offer_these(in_mailboxes(heads))
            else:
                voice.say(counted("1 message was found: it is among the arrived ones.",
                                  "{count} messages were found: they are among the arrived ones.",
                                  count=len(heads)))  # fmt: skip

        voice.say(said("Looking in the mailbox…"))
        mail.find_in_mailboxes(words, came)
