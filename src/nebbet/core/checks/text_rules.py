"""The checks of a template's texts, a rule each."""

import re
from collections.abc import Iterator

from nebbet.core import body, inline, placeholders
from nebbet.core.checks.findings import mend_braces
from nebbet.core.checks.links import as_example, leads_somewhere, lines_of_links
from nebbet.core.checks.prompts import prompts_in
from nebbet.core.checks.rules import Found, Rule
from nebbet.core.checks.subjects import TemplateToCheck
from nebbet.core.letter import older
from nebbet.core.sentences import counted, said

LONGEST_SUBJECT = 78  # RFC 5322 §2.1.1: a line should have no more


def _languages(at: TemplateToCheck) -> Iterator[Found]:
    name = placeholders.language_name
    original = next(iter(at.content.texts))
    for code in older(at.content):
        sentence = said(
            "The text in {language} is older than the one in {original}",
            language=name(code),
            original=name(original),
        )
        yield Found("body", sentence, code, language=code)


def _subjects(at: TemplateToCheck) -> Iterator[Found]:
    for code, texts in at.content.texts.items():
        if not texts.subject.strip():
            yield Found(
                "subject", said("The subject is empty ({language})", language=code), language=code
            )
        if len(_as_example(texts.subject)) > LONGEST_SUBJECT:
            sentence = said(
                "The subject is longer than {most} signs ({language}): many cut it",
                most=LONGEST_SUBJECT,
                language=code,
            )
            yield Found("subject", sentence, language=code)


def _lines(at: TemplateToCheck) -> Iterator[tuple[str, str, str]]:
    """The lines of every text, each with its language and the part it is in."""
    for code, texts in at.content.texts.items():
        yield code, "subject", texts.subject
        for line in body.written_lines(texts.blocks):
            yield code, "body", line


def _prompts(at: TemplateToCheck) -> Iterator[Found]:
    for code, part, line in _lines(at):
        for prompt in prompts_in(line):
            sentence = said(
                "“{prompt}” in the text looks like a prompt: make it a blank", prompt=prompt
            )
            if part == "subject":
                sentence = said(
                    "“{prompt}” in the subject looks like a prompt: make it a blank", prompt=prompt
                )
            yield Found(part, sentence, prompt, language=code)


def _braces(at: TemplateToCheck) -> Iterator[Found]:
    for code, part, line in _lines(at):
        for typo in inline.typos(line):
            yield Found(part, typo.sentence, typo.text, mend_braces(typo), language=code)


def _passages(at: TemplateToCheck) -> Iterator[Found]:
    for code, texts in at.content.texts.items():
        for name in body.passages_of(texts.blocks):
            sentence = said(
                "The passage “{name}” is not in the library ({language})", name=name, language=code
            )
            yield Found("body", sentence, name, language=code)


def _bodies(at: TemplateToCheck) -> Iterator[Found]:
    """Whether there is something to read, in the formatted and in the plain part."""
    for code, texts in at.content.texts.items():
        found = texts.blocks
        if not found:
            yield Found(
                "body", said("The text is empty ({language})", language=code), language=code
            )
        elif not (_only_in_pictures(found) or _as_plain(found).strip()):
            yield Found(
                "body", said("The plain text is empty ({language})", language=code), language=code
            )


def _only_in_pictures(found: body.Body) -> bool:
    words = "".join(inline.source(body.text_of(block)) for block in body.standing(found))
    return not words.strip() and bool(body.files_of(found))


def _as_plain(found: body.Body) -> str:
    return body.render_plain(body.completed(found, lambda slot: slot.name))


def _pictures(at: TemplateToCheck) -> Iterator[Found]:
    """Pictures that will not serve every reader."""
    for code, texts in at.content.texts.items():
        found = texts.blocks
        if found and _only_in_pictures(found):
            sentence = said(
                "The text is only in a picture ({language}): many cannot read that, or do not "
                "load it",
                language=code,
            )
            yield Found("body", sentence, language=code)
        for block in found:
            if isinstance(block, body.Markup) and (far := _far(inline.source(block.source))):
                sentence = counted(
                    "The text loads 1 picture from elsewhere ({language}): many programs do not "
                    "show that",
                    "The text loads {count} pictures from elsewhere ({language}): many programs "
                    "do not show that",
                    count=far,
                    language=code,
                )
                yield Found("body", sentence, language=code)
        parts = (part for block in found for part in block.inlines)
        alts = [inline.source(part.alt) for part in parts if isinstance(part, body.Picture)]
        alts += [alt for block in found if isinstance(block, body.Markup) for alt in _alts(block)]
        for alt in alts:
            if not alt.strip():
                sentence = said(
                    "A picture has no words for readers who cannot see it ({language})",
                    language=code,
                )
                yield Found("body", sentence, language=code)


def _links(at: TemplateToCheck) -> Iterator[Found]:
    for code, texts in at.content.texts.items():
        for words, link in lines_of_links(texts.blocks):
            if not leads_somewhere(as_example(link)):
                yield _nowhere(words, inline.source(link), code)


def _nowhere(words: str, address: str, code: str) -> Found:
    if words:
        sentence = said(
            "The button “{words}” leads nowhere ({language})", words=words, language=code
        )
        return Found("body", sentence, words, language=code)
    sentence = said(
        "The link “{address}” leads nowhere ({language})", address=address, language=code
    )
    return Found("body", sentence, address, language=code)


_FAR = re.compile(r"<img\b[^>]*\bsrc=[\"']?(?:https?:)?//", re.IGNORECASE)


def _alts(block: body.Markup) -> list[str]:
    """The words of the pictures in finished HTML."""
    root, _ = body.tree_of(body.markup_source(block.source))
    return [node.get("alt", "") for node in root.iter("img")] if root is not None else []


def _far(markup: str) -> int:
    """How many pictures of finished HTML lie on somebody's server."""
    return len(_FAR.findall(markup))


def _as_example(text: str) -> str:
    """A line with words of a likely length in the place of its placeholders."""
    return inline.shown(inline.parse(text), blank=lambda _name: "Marrowby")


TEXT_RULES: tuple[Rule[TemplateToCheck], ...] = (
    Rule("subject", "doubt", _subjects),
    Rule("link", "stop", _links),
    Rule("picture", "doubt", _pictures),
    Rule("passage", "stop", _passages),
    Rule("body", "doubt", _bodies),
    Rule("prompt", "doubt", _prompts),
    Rule("braces", "stop", _braces),
    Rule("language", "note", _languages),
)
