"""The languages of a template: a tab for each, one to add, and what is older than its original."""

from functools import cache

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QTabBar, QWidget

from nebbet.core import ranking
from nebbet.core.body import Figures
from nebbet.core.placeholders import language_name
from nebbet.core.ranking import Entry
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, Picker

_PLAIN, _HARD = 60, 30  # Flesch 1948
# Regions whose dates or words differ so much that a letter should follow them.
_REGIONS = ("en_GB", "en_US", "pt_BR", "fr_CA", "de_AT", "de_CH", "zh_Hant")


class Languages(QWidget):
    """switched tells which language is to be shown; added, removed and confirmed what else was
    asked for, with the language."""

    switched = Signal(str)
    added = Signal(str)
    removed = Signal(str)
    confirmed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        theme.named(self.tabs, "Language of the text")
        self.add = Picker("Add a language", self._offer, "Add a language…")
        self.add.setFixedWidth(170)
        self.drop = pieces.button("Remove this language", self._drop, "words")
        self.fresh = pieces.button("It is up to date", self._confirm, "words")
        self.figures = pieces.label("", "note")
        pieces.fill(
            QHBoxLayout(self), self.tabs, self.fresh, self.drop, None, self.figures, self.add
        )
        self.tabs.currentChanged.connect(lambda _index: self.switched.emit(self.current))
        self.add.picked.connect(self._add)
        self._older: tuple[str, ...] = ()

    @property
    def current(self) -> str:
        """The code of the language at hand."""
        return str(self.tabs.tabData(self.tabs.currentIndex()) or "")

    def show_languages(self, codes: list[str], current: str, older: tuple[str, ...]) -> None:
        """Show the tabs, the original first; older ones say so."""
        self.tabs.blockSignals(True)
        while self.tabs.count():
            self.tabs.removeTab(0)
        for code in codes:
            self.tabs.setTabData(self.tabs.addTab(""), code)
        self.tabs.setCurrentIndex(codes.index(current))
        self.tabs.blockSignals(False)
        self.show_older(older)

    def show_older(self, older: tuple[str, ...]) -> None:
        """Let the texts that are older than their original stand out."""
        self._older = older
        for index in range(self.tabs.count()):
            code = str(self.tabs.tabData(index))
            self.tabs.setTabText(index, language_name(code) + (" (older)" if code in older else ""))
        self.drop.setVisible(self.tabs.currentIndex() > 0)
        self.fresh.setVisible(self.current in older)

    def show_figures(self, found: Figures) -> None:
        """Show how long the text is, and how easily it reads."""
        words = counted("1 word", "{count} words", count=found.words)
        signs = counted("1 sign", "{count} signs", count=found.signs)
        self.figures.setText(
            said("{words}, {signs}", words=words, signs=signs)
            if found.ease is None
            else said(
                "{words}, {signs}, reading ease {ease} of 100: {level}",
                words=words,
                signs=signs,
                ease=f"{found.ease:.0f}",
                level=_in_words(found.ease),
            )
        )
        self.figures.setToolTip(
            theme.plain_hint(
                said("Reading ease by Flesch, from 0 to 100: from 60 on plain, below 30 very hard.")
            )
        )

    def _offer(self, words: str) -> list[Choice]:
        there = {str(self.tabs.tabData(index)) for index in range(self.tabs.count())}
        entries = [Entry(code, (name, code)) for code, name in known_languages().items()]
        found = ranking.find(words, entries)
        return [Choice(c, known_languages()[c], "", c) for c in found if c not in there]

    def _add(self, code: str) -> None:
        self.add.show_text("")
        self.added.emit(code)

    def _drop(self) -> None:
        self.removed.emit(self.current)

    def _confirm(self) -> None:
        self.confirmed.emit(self.current)


def _in_words(ease: float) -> str:
    if ease >= _PLAIN:
        return said("plain")
    return said("hard") if ease >= _HARD else said("very hard")


@cache
def known_languages() -> dict[str, str]:
    """Every language that dates and amounts can be written in (CLDR), by code."""
    from babel.localedata import locale_identifiers

    codes = [code for code in locale_identifiers() if "_" not in code and code != "en"]
    names = {code: language_name(code) for code in (*codes, *_REGIONS)}
    # A language stands before its regions: "German" and Return are for the plain one.
    return dict(sorted(names.items(), key=lambda item: item[1].casefold()))
