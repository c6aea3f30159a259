"""The band's find field: templates, contacts, cases and register entries together."""

from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary

_EACH = 6


def everything(shared: SharedLibrary, words: str) -> list[Choice]:
    """What the words find, in groups; keys are "kind:" and an id."""
    if not words.strip():
        return []
    templates = shared.search.templates(words)
    found = {
        "template": choices.found_templates(shared, words, templates, retired=True),
        "contact": choices.contacts(shared, words),
        "case": choices.cases(shared, words),
        "sent": _sent(shared, words),
    }
    # What was meant comes first: a case by its number; and what has all words before what has some.
    if shared.catalogue.case_numbered(words.strip()):
        found = {"case": found["case"], **found}
    elif templates.partly:
        found["template"] = found.pop("template")
    titles = {"template": "Templates", "contact": "Contacts", "case": "Cases", "sent": "Register"}
    shown: list[Choice] = []
    for kind, group in found.items():
        if group:
            shown.append(Choice("", titles[kind], heading=True))
            shown += [one._replace(key=f"{kind}:{one.key}") for one in group[:_EACH]]
    return shown


def _sent(shared: SharedLibrary, words: str) -> list[Choice]:
    by_key = {entry.message_id: entry for entry in shared.entries}
    return [
        Choice(
            key,
            by_key[key].name or by_key[key].address,
            by_key[key].subject,
            f"{by_key[key].sent.astimezone():%d %b %Y}",
        )
        for key in shared.search.sent(words)[: choices.MOST]
    ]
