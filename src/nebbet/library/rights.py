"""What leads and colleagues may do in a library on a server: rights in tables and columns, and
policies for rows. Whoever keeps the server has them all."""

_Policy = tuple[str, str, str, str]
_OWN_OR_SHARED = "(owner IS NULL AND nebbet_leads()) OR owner = nebbet_member()"
# The shelf that a member's own name belongs to is nobody else's to put up.
_NOT_SQUATTED = "(id NOT LIKE 'own-%' OR id = left('own-' || owner, 64))"
_SHARED = "SELECT 1 FROM shelf s WHERE s.id = {shelf}"
_WRITABLE = (
    "SELECT 1 FROM shelf s WHERE s.id = {shelf} AND "
    "((s.owner IS NULL AND nebbet_leads()) OR s.owner = nebbet_member())"
)
_ON_SHELF = f"EXISTS ({_WRITABLE.format(shelf='template.shelf')})"
_TEMPLATE_SEEN = "SELECT 1 FROM template t WHERE t.id = edition.template"
_TEMPLATE_WRITABLE = (
    "SELECT 1 FROM template t JOIN shelf s ON s.id = t.shelf WHERE t.id = edition.template AND "
    "((s.owner IS NULL AND nebbet_leads()) OR s.owner = nebbet_member())"
)
_OWN = "author = nebbet_member()"
_PLAIN_COLLEAGUE = "coalesce(data::jsonb->>'role', 'colleague') = 'colleague'"
# Where a round asks for a second pair of eyes, these are not those of whoever started it.
_TWO_EYES = (
    "NOT EXISTS (SELECT 1 FROM round r WHERE r.id = round_release.id "
    "AND r.member = nebbet_member() AND r.data::jsonb->>'how' = 'asks')"
)
_FILE_SEEN = (
    "EXISTS (SELECT 1 FROM file_claim c WHERE c.sha256 = file.sha256 "
    "AND c.member IN ('', nebbet_member())) OR EXISTS (SELECT 1 FROM file_use u "
    "WHERE u.sha256 = file.sha256 AND (u.template = '' OR EXISTS "
    "(SELECT 1 FROM template t WHERE t.id = u.template)))"
)

# table → policies: name, command, USING, WITH CHECK
POLICIES: dict[str, list[_Policy]] = {
    "shelf": [
        ("seen", "SELECT", "owner IS NULL OR owner = nebbet_member()", ""),
        ("kept", "ALL", _OWN_OR_SHARED, f"({_OWN_OR_SHARED}) AND {_NOT_SQUATTED}"),
    ],
    "template": [
        ("seen", "SELECT", f"EXISTS ({_SHARED.format(shelf='template.shelf')})", ""),
        ("kept", "ALL", _ON_SHELF, _ON_SHELF),
    ],
    "edition": [
        ("seen", "SELECT", f"EXISTS ({_TEMPLATE_SEEN})", ""),
        ("made", "INSERT", "", f"EXISTS ({_TEMPLATE_WRITABLE})"),
    ],
    "proposal": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", f"{_OWN} AND state = 'waiting'"),
        (
            "decided",
            "UPDATE",
            "nebbet_leads() AND state = 'waiting'",
            "nebbet_leads() AND state IN ('accepted', 'declined')",
        ),
        ("withdrawn", "UPDATE", f"{_OWN} AND state = 'waiting'", f"{_OWN} AND state = 'withdrawn'"),
        ("taken out", "DELETE", "nebbet_leads()", ""),
    ],
    "member": [
        ("seen", "SELECT", "true", ""),
        ("kept", "ALL", "nebbet_leads()", "nebbet_leads()"),
        ("own", "UPDATE", "login = session_user", f"login = session_user AND {_PLAIN_COLLEAGUE}"),
    ],
    "setting": [
        ("seen", "SELECT", "true", ""),
        ("kept", "ALL", "nebbet_leads()", "nebbet_leads()"),
        ("words", "ALL", "name = 'words'", "name = 'words'"),
    ],
    "presence": [
        ("seen", "SELECT", "true", ""),
        ("own", "ALL", "member = nebbet_member()", "member = nebbet_member()"),
    ],
    "register": [
        ("seen", "SELECT", "true", ""),
        ("sent", "INSERT", "", "sender = nebbet_member()"),
    ],
    "remark": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", "member = nebbet_member()"),
        ("taken back", "DELETE", "member = nebbet_member() OR nebbet_leads()", ""),
    ],
    "round": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", "member = nebbet_member()"),
        ("bared", "UPDATE", "nebbet_leads()", ""),
        ("taken out", "DELETE", "nebbet_leads()", ""),
    ],
    "round_row": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", "member = nebbet_member()"),
        ("let go", "DELETE", "member = nebbet_member() OR nebbet_leads()", ""),
    ],
    "round_release": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", f"member = nebbet_member() AND {_TWO_EYES}"),
        ("taken out", "DELETE", "nebbet_leads()", ""),
    ],
    "kept_round": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", "member = nebbet_member()"),
        ("kept", "UPDATE", "member = nebbet_member() OR nebbet_leads()", ""),
        ("taken out", "DELETE", "member = nebbet_member() OR nebbet_leads()", ""),
    ],
    "prompted": [
        ("seen", "SELECT", "true", ""),
        ("made", "INSERT", "", "true"),
        ("answered", "UPDATE", "true", "member IN ('', nebbet_member())"),
        ("taken out", "DELETE", "nebbet_leads()", ""),
    ],
    "file": [
        ("seen", "SELECT", _FILE_SEEN, ""),
        ("put in", "INSERT", "", "true"),
        ("kept", "UPDATE", "nebbet_leads()", "nebbet_leads()"),
        ("taken out", "DELETE", "nebbet_leads()", ""),
    ],
    "file_claim": [("own", "SELECT", "member IN ('', nebbet_member())", "")],
    "file_use": [
        (
            "seen",
            "SELECT",
            "template = '' OR EXISTS (SELECT 1 FROM template t WHERE t.id = file_use.template)",
            "",
        ),
    ],
}
# Columns are named: what is not named never changes, and whoever has no right in a whole table
# cannot lock it against the others.
_FOUND_BY = "rowno, source, filed, words, near"
CHANGED = {
    "setting": "value",
    "member": "data",
    "shelf": "parent, name, position",
    "template": "shelf, title, state, pinned, edition, origin, origin_edition",
    "contact": f"data, {_FOUND_BY}, sort, address, household, organisation",
    "case_": f"data, {_FOUND_BY}, number, kind, contact",
    "kind": "data",
    "linked": "data, result",
    "proposal": "state, answer, decider, decided",
    "presence": "seen",
    "passage": "data",
    "frame": "data",
    "fact": "data",
    "file": "valid_until, name",
    "round": "data",
    "kept_round": "data",
    "prompted": "at, state, member",
}
_ADDED = ("edition", "register", "file", "shelf", "template", "presence", "proposal", "contact",
          "case_", "held_field", "setting", "remark", "round", "round_row", "round_release",
          "kept_round", "prompted")  # fmt: skip
_LEADS_ALONE = (
    "passage",
    "frame",
    "fact",
    "file",
    "kind",
    "linked",
    "round",
)  # the others have policies
_ALL = (*CHANGED, "edition", "register", "remark", "round_row", "round_release",
        "former", "file_claim", "file_use", "change", "case_person", "held_field",
        "alembic_version")  # fmt: skip
_TAKEN_OUT = ("setting", "member", "shelf", "template", "contact", "case_", "held_field",
              "proposal", "presence", "passage", "frame", "fact", "file", "kind",
              "linked", "remark", "round", "round_row", "round_release", "kept_round",
              "prompted")  # fmt: skip
GRANTS = {
    "lead": [
        f"SELECT ON {', '.join(_ALL)}",
        f"INSERT ON {', '.join(_ADDED)}, passage, frame, fact, former, kind, linked",
        "INSERT (id, data) ON member",
        f"DELETE ON {', '.join(_TAKEN_OUT)}",
        *(f"UPDATE ({columns}) ON {table}" for table, columns in CHANGED.items()),
    ],
    "colleague": [
        f"SELECT ON {', '.join(_ALL)}",
        f"INSERT ON {', '.join(_ADDED)}",
        *(
            f"UPDATE ({columns}) ON {table}"
            for table, columns in CHANGED.items()
            if table not in _LEADS_ALONE
        ),
        "DELETE ON remark, round_row, kept_round",
        "UPDATE (result) ON linked",  # whoever reads a linked table says what came of it
    ],
}
