"""What an answer, or a message that is handed on, says of the one before it (RFC 3676 §4.5)."""

from msgspec.structs import replace

from nebbet.core.body import Body, Paragraph, Picture, Run
from nebbet.core.message.answering import Arrived, words_of
from nebbet.core.message.received import Received
from nebbet.core.placeholders import show

# What leads to quoted words, by language; from memory, no source.
_WROTE = {
    "en": "On {day}, {name} wrote:",
    "de": "Am {day} schrieb {name}:",
    "fr": "Le {day}, {name} a écrit :",
    "nb": "{day} skrev {name}:",
    "da": "{day} skrev {name}:",
    "sv": "{day} skrev {name}:",
    "nl": "Op {day} schreef {name}:",
    "es": "El {day}, {name} escribió:",
    "it": "Il {day}, {name} ha scritto:",
    "pt": "Em {day}, {name} escreveu:",
    "pl": "{day} {name} napisał(a):",
    "fi": "{day} {name} kirjoitti:",
}
_MOST = 400  # blocks of a message that are quoted


def quote(fields: Arrived, received: Received, language: str) -> Body:
    """A message as an answer quotes it: a line that says whose words follow, and these as quoted.
    Its pictures stay behind: they are not the library's."""
    lead = Paragraph((Run(attribution(fields, language)),))
    return (lead, *_quoted(received))


def attribution(fields: Arrived, language: str) -> str:
    """The line that says whose words follow, in the language of the letter.

    >>> attribution(Arrived(), "en_GB")
    'On –, – wrote:'
    """
    words = _WROTE.get(language.split("_", maxsplit=1)[0], _WROTE["en"])
    day = show(fields.written, language, "long") if fields.written else "–"
    return words.format(day=day, name=fields.sender.name or fields.sender.spec or "–")


def handed_on(fields: Arrived, received: Received) -> Body:
    """A message as it is handed on: its most telling fields, and what it says."""
    lines = (f"From: {received.sender}", f"Date: {received.date}",
             f"Subject: {fields.subject}", f"To: {received.to}")  # fmt: skip
    heads = tuple(Paragraph((Run(line),), quote=True) for line in lines)
    return (*heads, *_quoted(received))


def _quoted(received: Received) -> Body:
    return tuple(
        replace(
            block,
            quote=True,
            inlines=tuple(one for one in block.inlines if not isinstance(one, Picture)),
        )
        for block in words_of(received)[:_MOST]
    )
