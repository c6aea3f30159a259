"""Others in a letter: another person's name, another case's number, in its text and its files."""

import re
from collections.abc import Iterator

from nebbet.core import inline
from nebbet.core.checks.rules import Found, Rule
from nebbet.core.checks.subjects import LetterToCheck
from nebbet.core.records import fold
from nebbet.core.sentences import said


def _places(at: LetterToCheck) -> Iterator[tuple[str, str, str]]:
    """Where somebody could be named: what part of the letter, which file, the text."""
    yield "subject", "", inline.shown(at.letter.subject)
    yield "body", "", at.text
    for one in at.letter.attached:
        name = inline.shown(one.name)
        yield "attachments", "", name
        if one.file in at.about.contents:
            yield "attachments", name, at.about.contents[one.file]


def _other_case(at: LetterToCheck) -> Iterator[Found]:
    """A number of the shape that this letter's case has, and another one."""
    case = at.letter.case
    if case is None or sum(sign.isdigit() for sign in case.number) < 3:
        return
    shape = re.compile(rf"(?<!\w){_shape(case.number)}(?!\w)", re.IGNORECASE)
    own = {fold(case.number)} | {
        fold(str(value)) for value in case.fields.values() if isinstance(value, str)
    }
    told: set[str] = set()
    for part, file, text in _places(at):
        for number in shape.findall(text):
            if fold(number) not in own | told:
                told.add(fold(number))
                sentence = said("“{number}” looks like another case's number", number=number)
                if file:
                    sentence = said("“{number}” in {file} looks like another case's number",
                                    number=number, file=file)  # fmt: skip
                yield Found(part, sentence, number)


def _shape(number: str) -> str:
    """What has the same signs as a number, and any digits in the place of its own."""
    return "".join(r"\d" if sign.isdigit() else re.escape(sign) for sign in number)


def _other_person(at: LetterToCheck) -> Iterator[Found]:
    """Somebody else on file is named, who has nothing to do with this letter as far as is known."""
    for name in at.about.strangers:
        for part, file, text in _places(at):
            if name in text:
                sentence = said("{name} is named, who is somebody else on file", name=name)
                if file:
                    sentence = said("{name} is named in {file}, who is somebody else on file",
                                    name=name, file=file)  # fmt: skip
                yield Found(part, sentence, name)
                break


MENTION_RULES: tuple[Rule[LetterToCheck], ...] = (
    Rule("other person", "doubt", _other_person),
    Rule("other case", "doubt", _other_case),
)
