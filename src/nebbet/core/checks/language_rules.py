"""The language of a letter: whether it is one, and the recipient's."""

from collections.abc import Iterator

from nebbet.core.checks.rules import Found, Rule
from nebbet.core.checks.subjects import LetterToCheck
from nebbet.core.placeholders import language_name
from nebbet.core.sentences import said
from nebbet.core.spoken import is_told, stem, written_in

_SHOWN = 40  # signs of a paragraph that tell which one it is


def _two_languages(at: LetterToCheck) -> Iterator[Found]:
    """A paragraph in another language than the rest."""
    found = [(written_in(text), text) for text in map(str.strip, at.own_blocks)]
    told = [(language, text) for language, text in found if language]
    languages = list(dict.fromkeys(language for language, _text in told))
    if len(languages) < 2:
        return
    counts = {one: sum(len(text) for language, text in told if language == one)
              for one in languages}  # fmt: skip
    most = max(counts, key=lambda language: counts[language])
    other, text = next(pair for pair in told if pair[0] != most)
    words = text.split("\n")[0][:_SHOWN]
    sentence = said("The letter is in {one}, and “{words}…” is in {other}",
                    one=language_name(most), other=language_name(other), words=words)  # fmt: skip
    yield Found("body", sentence, words)


def _language(at: LetterToCheck) -> Iterator[Found]:
    """A letter in another language than its recipient is written to in: by its words, where they
    tell it, or by what it was begun in."""
    recipient = at.letter.recipient
    if recipient is None or not recipient.language:
        return
    theirs = stem(recipient.language)
    ours = stem(at.letter.language)
    if is_told(recipient.language):
        ours = written_in("\n".join(map(str.strip, at.own_blocks))) or ours
    if theirs != ours:
        yield Found(
            "language",
            said("The letter is in another language than {name} is written to in",
                 name=recipient.name or recipient.email),
            at.letter.language,
        )  # fmt: skip


LANGUAGE_RULES: tuple[Rule[LetterToCheck], ...] = (
    Rule("two languages", "doubt", _two_languages),
    Rule("language", "note", _language),
)
