"""What a library on a server enforces by itself, whatever a client does: who did what and when, who
may read which file. Functions and triggers of PostgreSQL.

Every function names what it uses with its schema and looks into the temporary one last: a client
may put tables there (PostgreSQL's documentation, "Writing SECURITY DEFINER Functions Safely").
"""

from sqlalchemy import Connection, text

from nebbet.library.admitting import ADMITTING, CALLED

SCHEMA = "nebbet"
_PATH = f"SET search_path = pg_catalog, {SCHEMA}, pg_temp"

# {lead} is the role of all leads, as a literal.
_FUNCTIONS = {
    # Who is at the other end: by the login of the session, which SET ROLE does not change.
    "nebbet_member()": """RETURNS text LANGUAGE sql STABLE SECURITY DEFINER {path} AS
        $$ SELECT id FROM nebbet.member WHERE login = session_user::text $$""",
    "nebbet_leads()": """RETURNS boolean LANGUAGE sql STABLE {path} AS
        $$ SELECT pg_catalog.pg_has_role(session_user, {lead}, 'member')
           OR pg_catalog.pg_has_role(session_user, (SELECT nspowner FROM pg_catalog.pg_namespace
              WHERE nspname = 'nebbet'), 'usage') $$""",
    # Yes or no about one file, to a lead alone.
    "nebbet_needs(file text)": """RETURNS boolean LANGUAGE sql STABLE SECURITY DEFINER {path} AS
        $$ SELECT nebbet.nebbet_leads() AND file ~ '^[0-9a-f]{{64}}$'
           AND EXISTS (SELECT 1 FROM nebbet.file_use u WHERE u.sha256 = file) $$""",
    # Whoever added people or cases may take them back, though only a lead takes out what is there.
    "nebbet_unadd(kind text, keys text[])": """RETURNS void LANGUAGE plpgsql SECURITY DEFINER {path}
        AS $$
        BEGIN
            IF nebbet.nebbet_member() IS NULL THEN
                RAISE insufficient_privilege USING MESSAGE = 'no member of this library';
            END IF;
            IF kind = 'contact' THEN
                DELETE FROM nebbet.contact WHERE id = ANY (keys);
            ELSE
                DELETE FROM nebbet.case_ WHERE id = ANY (keys);
            END IF;
        END $$""",
    # Of a letter to somebody who is taken out, only that it went is left.
    "nebbet_bare(message text, said text)": """RETURNS void LANGUAGE plpgsql SECURITY DEFINER {path}
        AS $$
        BEGIN
            IF NOT nebbet.nebbet_leads() THEN
                RAISE insufficient_privilege USING MESSAGE = 'that is for a lead';
            END IF;
            UPDATE nebbet.register SET contact = '', name = '', address = '', subject = '',
                words = said WHERE message_id = message;
        END $$""",
    "nebbet_signs()": """RETURNS trigger LANGUAGE plpgsql {path} AS $$
        DECLARE
            me text := nebbet.nebbet_member();
        BEGIN
            IF me IS NULL THEN  -- whoever keeps the server, and nobody else
                IF pg_has_role(session_user, (SELECT relowner FROM pg_class WHERE oid = TG_RELID),
                               'member') THEN
                    RETURN NEW;
                END IF;
                RAISE insufficient_privilege USING MESSAGE = 'no member of this library';
            END IF;
            CASE TG_TABLE_NAME
            WHEN 'edition' THEN
                NEW.made := now();
                IF NEW.author IS DISTINCT FROM me AND NOT (nebbet.nebbet_leads() AND EXISTS (
                    SELECT 1 FROM nebbet.proposal p WHERE p.template = NEW.template
                    AND p.author = NEW.author AND p.state = 'accepted' AND p.decided = now()))
                THEN
                    RAISE insufficient_privilege USING MESSAGE = 'an edition is its author''s';
                END IF;
            WHEN 'former' THEN
                NEW.made := now();
                IF NEW.author IS NOT NULL AND NEW.author <> me THEN
                    RAISE insufficient_privilege USING MESSAGE = 'a state is its author''s';
                END IF;
            WHEN 'proposal' THEN
                IF TG_OP = 'INSERT' THEN
                    NEW.made := now();
                    NEW.decided := NULL;
                    NEW.decider := NULL;
                    NEW.answer := '';
                ELSE
                    NEW.decided := now();
                    NEW.decider := CASE WHEN NEW.state = 'withdrawn' THEN NULL ELSE me END;
                    NEW.answer := CASE WHEN NEW.state = 'withdrawn' THEN '' ELSE NEW.answer END;
                END IF;
            WHEN 'register' THEN
                -- A letter that went while the library was away is entered when it is back.
                IF NEW.sent > now() OR NEW.sent < now() - interval '3 days' THEN
                    NEW.sent := now();
                END IF;
            WHEN 'presence' THEN
                IF NEW.seen > now() - interval '1 hour' THEN  -- older: the member has gone
                    NEW.seen := now();
                END IF;
            END CASE;
            RETURN NEW;
        END $$""",
    # Whoever puts a file in has its content; it is theirs until something that all see uses it.
    "nebbet_claims()": """RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER {path} AS $$
        BEGIN
            INSERT INTO nebbet.file_claim VALUES (NEW.sha256, coalesce(nebbet.nebbet_member(), ''))
            ON CONFLICT DO NOTHING;
            RETURN NEW;
        END $$""",
    "nebbet_uses()": """RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER {path} AS $$
        BEGIN
            INSERT INTO nebbet.file_use
            SELECT DISTINCT held[1], CASE TG_TABLE_NAME WHEN 'edition' THEN
                to_jsonb(NEW)->>'template' ELSE '' END
            FROM regexp_matches(coalesce(to_jsonb(NEW)->>'content', to_jsonb(NEW)->>'data'),
                                '[0-9a-f]{{64}}', 'g') AS held
            ON CONFLICT DO NOTHING;
            RETURN NULL;
        END $$""",
}
_TRIGGERS = (
    *(("signs", table, "BEFORE INSERT", "nebbet_signs")
      for table in ("edition", "former", "register")),
    *(("signs", table, "BEFORE INSERT OR UPDATE", "nebbet_signs")
      for table in ("proposal", "presence")),
    ("claims", "file", "BEFORE INSERT", "nebbet_claims"),
    *(("uses", table, "AFTER INSERT", "nebbet_uses") for table in ("edition", "proposal")),
    *(("uses", table, "AFTER INSERT OR UPDATE", "nebbet_uses") for table in ("passage", "frame")),
)  # fmt: skip
_TABLES = (
    "CREATE TABLE IF NOT EXISTS file_claim "
    "(sha256 text, member text, PRIMARY KEY (sha256, member))",
    "CREATE TABLE IF NOT EXISTS file_use "
    "(sha256 text, template text, PRIMARY KEY (sha256, template))",
)
# What was there before files had owners: it is used where it stands, or everybody's.
_FILLING = (
    *(
        f"INSERT INTO file_use SELECT DISTINCT found[1], {key} FROM {table}, "
        f"regexp_matches({column}, '[0-9a-f]{{64}}', 'g') AS found ON CONFLICT DO NOTHING"
        for table, column, key in (
            ("edition", "content", "template"),
            ("proposal", "content", "''"),
            ("passage", "data", "''"),
            ("frame", "data", "''"),
        )
    ),
    "INSERT INTO file_claim SELECT sha256, '' FROM file WHERE NOT EXISTS (SELECT 1 FROM file_use u "
    "WHERE u.sha256 = file.sha256) AND NOT EXISTS (SELECT 1 FROM file_claim c "
    "WHERE c.sha256 = file.sha256)",
)
# Which functions whom may call; what triggers call needs no right.
_CALLED = {
    "nebbet_member()": "both",
    "nebbet_leads()": "both",
    "nebbet_is_json(text)": "both",
    "nebbet_says(text, text)": "both",
    "nebbet_needs(text)": "lead",
    "nebbet_unadd(text, text[])": "both",
    "nebbet_bare(text, text)": "lead",
    **CALLED,
}


def make_guards(
    connection: Connection, lead: str, colleague: str, lead_literal: str, colleague_literal: str
) -> None:
    """Make the functions, triggers and tables; may be run again at any time. lead and colleague are
    the quoted names of the roles, then come the same as literals."""
    for statement in _TABLES:
        connection.execute(text(statement))
    for signature, body in (_FUNCTIONS | ADMITTING).items():
        made = body.format(path=_PATH, lead=lead_literal, colleague=colleague_literal)
        statement = f"CREATE OR REPLACE FUNCTION {SCHEMA}.{signature} {made}"
        connection.exec_driver_sql(statement.replace("%", "%%"))
    for name, table, when, function in _TRIGGERS:
        connection.execute(text(f"DROP TRIGGER IF EXISTS {table}_{name} ON {table}"))
        connection.execute(
            text(
                f"CREATE TRIGGER {table}_{name} {when} ON {table} "
                f"FOR EACH ROW EXECUTE FUNCTION {SCHEMA}.{function}()"
            )
        )
    for statement in _FILLING:
        connection.execute(text(statement))
    connection.execute(text(f"REVOKE ALL ON ALL FUNCTIONS IN SCHEMA {SCHEMA} FROM PUBLIC"))
    for function, whose in _CALLED.items():
        whom = lead if whose == "lead" else f"{lead}, {colleague}"
        connection.execute(text(f"GRANT EXECUTE ON FUNCTION {SCHEMA}.{function} TO {whom}"))
