"""People, cases, members and facts: typed rows, their fields, what is read of them elsewhere."""

from nebbet.core.records.names import field_name, fold, label_of
from nebbet.core.records.rows import (
    CASE_FIELDS,
    CONTACT_FIELDS,
    MEMBER_FIELDS,
    Case,
    Contact,
    Fact,
    Matter,
    Member,
    Person,
    case_fields,
    contact_fields,
    contact_for,
    is_own,
    member_fields,
    parted,
    unfiled_id,
)

__all__ = [
    "CASE_FIELDS",
    "CONTACT_FIELDS",
    "MEMBER_FIELDS",
    "Case",
    "Contact",
    "Fact",
    "Matter",
    "Member",
    "Person",
    "case_fields",
    "contact_fields",
    "contact_for",
    "field_name",
    "fold",
    "is_own",
    "label_of",
    "member_fields",
    "parted",
    "unfiled_id",
]
