"""Reading small languages with Lark, and saying where reading stopped and what was expected."""

from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING, Any

from nebbet.core.errors import NebbetError

if TYPE_CHECKING:
    from lark import Lark

LONGEST = 2000  # characters; no rule or sum that a person wrote is longer
LONGEST_NAME = 80
DEEPEST = 60  # parentheses within each other


class GrammarError(NebbetError):
    """Text that cannot be read; place is where reading stopped, counted from 0."""

    def __init__(self, what: str, text: str, place: int, expected: str, advice: str) -> None:
        self.place = place
        self.expected = expected
        super().__init__(
            f"The {what} “{text[:80]}” cannot be read at character {place + 1}: "
            f"expected {expected}",
            advice=advice,
        )


class Refusal(Exception):
    """Raised by a builder for text that is well formed but cannot be meant."""

    def __init__(self, place: int, expected: str) -> None:
        super().__init__(expected)
        self.place, self.expected = place, expected


class Grammar:
    """A language: its Lark grammar, what builds its values, and its terminals in plain words.

    what names the language in messages ("date rule"). words maps terminals to what a person
    would call them; a terminal that is not in it is never named. The parser is made at first use.
    """

    def __init__(
        self, what: str, grammar: str, builder: type, words: Mapping[str, str], advice: str
    ) -> None:
        self._what, self._grammar, self._builder = what, grammar, builder
        self._words, self._advice = words, advice

    @cached_property
    def _parser(self) -> "Lark":
        from lark import Lark, Transformer

        maker = type(self._builder.__name__, (self._builder, Transformer), {})
        return Lark(
            self._grammar,
            parser="lalr",
            transformer=maker(visit_tokens=False),
            propagate_positions=True,
            regex=False,
            maybe_placeholders=False,
        )

    def error(self, text: str, place: int, expected: str) -> GrammarError:
        """The error for one place of a text."""
        return GrammarError(self._what, text, place, expected, self._advice)

    def read(self, text: str) -> Any:
        """Read a text. Raises GrammarError with the place and what was expected."""
        from lark.exceptions import UnexpectedInput, VisitError

        self._bound(text)
        try:
            return self._parser.parse(text)
        except UnexpectedInput as problem:
            raise self._explained(text, problem) from None
        except (VisitError, Refusal) as problem:
            refusal = getattr(problem, "orig_exc", problem)
            if not isinstance(refusal, Refusal):
                raise
            raise self.error(text, refusal.place, refusal.expected) from None

    def _bound(self, text: str) -> None:
        """Refuse what no person wrote before any work is done on it."""
        if len(text) > LONGEST:
            raise self.error(text, LONGEST, f"the end: a {self._what} has at most {LONGEST} signs")
        depth = 0
        for place, sign in enumerate(text):
            depth += (sign == "(") - (sign == ")")
            if depth > DEEPEST:
                raise self.error(text, place, f"at most {DEEPEST} brackets within each other")

    def _explained(self, text: str, problem: Any) -> GrammarError:
        place = problem.pos_in_stream
        at_end = getattr(getattr(problem, "token", None), "type", "") == "$END"
        if place is None or place < 0 or at_end:
            place = len(text.rstrip())
        found = getattr(problem, "accepts", None) or getattr(problem, "expected", None)
        found = set(found or getattr(problem, "allowed", None) or ())
        named = dict.fromkeys(words for name, words in self._words.items() if name in found)
        return self.error(text, place, listed(list(named)) or "the end")


def listed(words: list[str]) -> str:
    """Words as a choice in a sentence.

    >>> listed(["a", "b", "c"])
    'a, b or c'
    """
    return " or ".join(filter(None, (", ".join(words[:-1]), *words[-1:])))
