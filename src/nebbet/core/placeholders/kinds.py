"""The kinds that a fact can have, by its value."""

from datetime import date, datetime, time
from decimal import Decimal

from nebbet.core.placeholders.declared import Kind
from nebbet.core.values import Money, Value

FACT_KINDS: tuple[Kind, ...] = ("text", "long text", "number", "money", "date", "time", "link")


def kind_of(value: Value) -> Kind:
    """The kind that a value is typed as.

    >>> kind_of(Money(Decimal("4.00"), "GBP")), kind_of("one\\ntwo"), kind_of(date(2026, 11, 25))
    ('money', 'long text', 'date')
    """
    match value:
        case Money():
            return "money"
        case Decimal():
            return "number"
        case datetime() | date():
            return "date"
        case time():
            return "time"
        case str() if "\n" in value:
            return "long text"
    return "text"
