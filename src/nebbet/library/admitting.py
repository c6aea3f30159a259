"""The functions of a library's database by which people are let in and let go. They run with the
rights of whoever keeps the library, so each of them asks first who calls it.

A lead may make logins and end those of this library's people; a login that the server has for
something else, or that may do more, is nobody's to touch but the keeper's. What is refused has the
SQLSTATE NB001 and says why; what to do follows after a semicolon.
"""

_KEEPS = """pg_has_role(session_user, (SELECT nspowner FROM pg_namespace
        WHERE nspname = 'nebbet'), 'usage')"""
_MAY_ADMIT = f"""IF NOT ({_KEEPS} OR nebbet.nebbet_leads()) THEN
        RAISE insufficient_privilege USING MESSAGE = 'that is for a lead';
    END IF;"""
_IS_MORE = """EXISTS (SELECT 1 FROM pg_roles r WHERE r.rolname = {login} AND (r.rolsuper
        OR r.rolcreaterole OR r.rolcreatedb OR r.rolreplication OR r.rolbypassrls))"""
_SAY = "RAISE EXCEPTION USING ERRCODE = 'NB001', MESSAGE ="

# {lead} and {colleague} are the roles' names as literals, {path} the search path of a function.
ADMITTING = {
    "nebbet_let_in(who text, wanted text, leads boolean, verifier text, until text)":
    f"""RETURNS void LANGUAGE plpgsql SECURITY DEFINER {{path}} AS $$
    DECLARE
        keeps boolean := {_KEEPS};
        before text;
    BEGIN
    {_MAY_ADMIT}
    IF octet_length(wanted) NOT BETWEEN 1 AND 63 OR wanted ~ '[[:cntrl:]]' THEN
        {_SAY} 'A server takes no such login; choose a shorter one, of letters and digits';
    END IF;
    IF EXISTS (SELECT 1 FROM nebbet.member m WHERE m.login = wanted AND m.id <> who) THEN
        {_SAY} 'That login is somebody else''s already; choose another one';
    END IF;
    IF NOT EXISTS (SELECT 1 FROM nebbet.member m WHERE m.id = who) THEN
        {_SAY} 'The library knows no such member; add them first';
    END IF;
    SELECT m.login INTO before FROM nebbet.member m WHERE m.id = who;
    IF EXISTS (SELECT 1 FROM pg_roles r WHERE r.rolname = wanted) THEN
        IF NOT keeps AND (before IS DISTINCT FROM wanted OR {_IS_MORE.format(login="wanted")}) THEN
            {_SAY} 'The server has that login for something else; choose another one';
        END IF;
        EXECUTE format('ALTER ROLE %I LOGIN', wanted);
    ELSE
        EXECUTE format('CREATE ROLE %I LOGIN', wanted);
    END IF;
    IF verifier IS NOT NULL THEN
        IF verifier !~ '^SCRAM-SHA-256[$]' THEN
            {_SAY} 'The password was not made ready for the server; update Nebbet';
        END IF;
        EXECUTE format('ALTER ROLE %I PASSWORD %L VALID UNTIL %L', wanted, verifier,
                       coalesce(until, 'infinity'));
    END IF;
    EXECUTE format('GRANT %I TO %I', CASE WHEN leads THEN {{lead}} ELSE {{colleague}} END, wanted);
    EXECUTE format('REVOKE %I FROM %I', CASE WHEN leads THEN {{colleague}} ELSE {{lead}} END,
                   wanted);
    IF before IS NOT NULL AND before <> wanted THEN
        EXECUTE format('REVOKE %I, %I FROM %I', {{lead}}, {{colleague}}, before);
    END IF;
    UPDATE nebbet.member m SET login = wanted WHERE m.id = who;
    END $$""",
    "nebbet_let_go(who text)":
    f"""RETURNS void LANGUAGE plpgsql SECURITY DEFINER {{path}} AS $$
    DECLARE
        gone text;
    BEGIN
    {_MAY_ADMIT}
    SELECT m.login INTO gone FROM nebbet.member m WHERE m.id = who;
    IF gone IS NULL OR NOT EXISTS (SELECT 1 FROM pg_roles r WHERE r.rolname = gone) THEN
        RETURN;
    END IF;
    IF gone = session_user::text THEN
        {_SAY} 'Nobody lets themselves go; ask another lead, or whoever keeps the server';
    END IF;
    EXECUTE format('REVOKE %I, %I FROM %I', {{lead}}, {{colleague}}, gone);
    IF NOT {_IS_MORE.format(login="gone")} AND NOT EXISTS (SELECT 1 FROM pg_auth_members a
            JOIN pg_roles r ON r.oid = a.member WHERE r.rolname = gone) THEN
        EXECUTE format('ALTER ROLE %I NOLOGIN', gone);
    END IF;
    END $$""",
    "nebbet_own_password(verifier text)":
    f"""RETURNS void LANGUAGE plpgsql SECURITY DEFINER {{path}} AS $$
    BEGIN
    IF nebbet.nebbet_member() IS NULL THEN
        {_SAY} 'This login is no member''s; ask whoever keeps the server';
    END IF;
    IF verifier IS NULL OR verifier !~ '^SCRAM-SHA-256[$]' THEN
        {_SAY} 'The password was not made ready for the server; update Nebbet';
    END IF;
    EXECUTE format('ALTER ROLE %I PASSWORD %L VALID UNTIL ''infinity''', session_user, verifier);
    END $$""",
    # How many rows of others' private shelves a session does not see.
    "nebbet_hidden()":
    f"""RETURNS bigint LANGUAGE sql STABLE SECURITY DEFINER {{path}} AS $$
    WITH hidden AS (SELECT s.id FROM nebbet.shelf s WHERE NOT {_KEEPS}
                    AND s.owner IS DISTINCT FROM nebbet.nebbet_member() AND s.owner IS NOT NULL)
    SELECT (SELECT count(*) FROM hidden)
         + (SELECT count(*) FROM nebbet.template t JOIN hidden h ON h.id = t.shelf)
         + (SELECT count(*) FROM nebbet.edition e JOIN nebbet.template t ON t.id = e.template
            JOIN hidden h ON h.id = t.shelf)
    $$""",
}  # fmt: skip
CALLED = {
    "nebbet_let_in(text, text, boolean, text, text)": "lead",
    "nebbet_let_go(text)": "lead",
    "nebbet_own_password(text)": "both",
    "nebbet_hidden()": "both",
}
