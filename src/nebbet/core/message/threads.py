"""Which messages belong to one exchange: by what they answer (RFC 5322 §3.6.4), never by their
subjects, which strangers share."""

from collections.abc import Iterable, Mapping


def in_threads(messages: Mapping[str, Iterable[str]]) -> list[tuple[str, ...]]:
    """Messages in threads, each in the order given. messages maps a key to every Message-ID that
    the message has or hangs on: two that share one belong together, whichever has arrived.

    >>> in_threads({"1": ["<a>"], "2": ["<c>"], "3": ["<b>", "<a>"]})
    [('1', '3'), ('2',)]
    """
    above: dict[str, str] = {}

    def top(one: str) -> str:
        while above[one] != one:
            above[one] = above[above[one]]
            one = above[one]
        return one

    owner: dict[str, str] = {}
    place = {key: number for number, key in enumerate(messages)}
    for key, ids in messages.items():
        above[key] = key
        for one in ids:
            if one in owner:
                first, second = top(owner[one]), top(key)
                above[max(first, second, key=place.__getitem__)] = min(
                    first, second, key=place.__getitem__
                )
            else:
                owner[one] = key
    found: dict[str, list[str]] = {}
    for key in messages:
        found.setdefault(top(key), []).append(key)
    return [tuple(keys) for keys in found.values()]
