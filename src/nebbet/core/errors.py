"""The one base class of errors that can reach a person."""


class NebbetError(Exception):
    """Something in the world is wrong; says what happened, what was kept and what to do next.

    >>> NebbetError("The table has no rows", advice="Add a row").sentence
    'The table has no rows. Add a row.'
    """

    def __init__(self, what: str, *, kept: str = "", advice: str = "") -> None:
        super().__init__(what)
        self.what, self.kept, self.advice = what, kept, advice

    @property
    def sentence(self) -> str:
        """The whole message for the person, as one line."""
        parts = (part.strip().rstrip(".") for part in (self.what, self.kept, self.advice))
        return " ".join(f"{part}." for part in parts if part)

    def __str__(self) -> str:
        return self.sentence
