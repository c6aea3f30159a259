"""What braces declare where they are typed: {{size: small / large}}, {{answer by = today + 10
days}}."""

from nebbet.core import dates, sums
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders.declared import KINDS, Placeholder

_BETWEEN = "/"


def declared_in(words: str) -> Placeholder | None:
    """The placeholder that some words declare: after a colon a kind, or what there is to choose
    from; after an equals sign a date rule or a sum. Nothing where they are a name alone, or where
    that makes no sense.

    >>> declared_in("size: small / large").choices, declared_in("until = today + 3 days").source
    (('small', 'large'), 'date')
    >>> declared_in("fare: money").kind, declared_in("total = fare * 2").source, declared_in("fare")
    ('money', 'sum', None)
    """
    for sign, made in (("=", _worked_out), (":", _of_kind)):
        name, found, rest = words.partition(sign)
        name, rest = " ".join(name.split()), rest.strip()
        if found and name and rest and "." not in name:
            return made(name, rest)
    return None


def _of_kind(name: str, said: str) -> Placeholder | None:
    kind = next((one for one in KINDS if one == said.casefold() and one != "choice"), None)
    if kind:
        return Placeholder(name, kind=kind)
    choices = tuple(dict.fromkeys(filter(None, (one.strip() for one in said.split(_BETWEEN)))))
    return Placeholder(name, kind="choice", choices=choices) if len(choices) > 1 else None


def _worked_out(name: str, rule: str) -> Placeholder | None:
    try:
        dates.read(rule)
    except NebbetError:
        pass
    else:
        return Placeholder(name, source="date", of=rule)
    try:
        sums.read(rule)
    except NebbetError:
        return None
    return Placeholder(name, source="sum", of=rule)
