"""Fields of people and cases as text in a form, and back."""

from datetime import date

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import typed
from nebbet.core.placeholders.declared import Placeholder
from nebbet.core.placeholders.formats import show
from nebbet.core.records.kinds import RecordField
from nebbet.core.sentences import said
from nebbet.core.values import Value, from_json, to_json

_YES, _NO = said("yes"), said("no")


def field_text(raw: object, language: str) -> str:
    """A field's value in its JSON form, as a form shows it.

    >>> field_text({"date": "2026-11-25"}, "en_GB"), field_text(["a", "b"], "en_GB")
    ('25 November 2026', 'a; b')
    """
    if raw is None or raw == "":
        return ""
    value = from_json(raw)
    if isinstance(value, tuple):
        return "; ".join(_single(one, language) for one in value)
    return _single(value, language)


def _single(value: Value, language: str) -> str:
    if isinstance(value, bool):
        return _YES if value else _NO
    return value if isinstance(value, str) else show(value, language)


def field_value(
    text: str, field: RecordField, before: object, today: date, language: str
) -> object:
    """What was typed into a field in its JSON form; None for nothing. What was not changed stays
    as it was, to the last digit.

    Raises NebbetError where it is not of the field's kind.
    """
    text = text.strip()
    if not text:
        return None
    if before is not None and text == field_text(before, language):
        return before
    if field.kind == "list":
        return [part.strip() for part in text.split(";") if part.strip()]
    if field.kind == "yes/no" and text in (_YES, _NO):
        return text == _YES
    if field.kind in ("number", "money", "date", "time", "yes/no"):
        placeholder = Placeholder(field.name, kind=field.kind)
        reading = typed.read(text, placeholder, language, today)
        if reading.value is None or reading.problem:
            raise NebbetError(
                said("Not kept yet: {field}: {problem}", field=field.title,
                     problem=reading.problem or text)
            )  # fmt: skip
        return to_json(reading.value)
    return text
