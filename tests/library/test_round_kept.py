"""Rounds that are kept, held and released, and letters that changes ask for: in a file and on a
server, where the database itself says who may."""

from contextlib import closing

import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.records import Case, Contact
from nebbet.core.records.kinds import STATE, Kind, Prompt
from nebbet.core.records.tables import ReadTable, read_table
from nebbet.core.rounds import Matches, RoundRules
from nebbet.core.rounds.pacing import Pace
from nebbet.library.holdings import Overtaken
from nebbet.library.people_writing import Changed
from nebbet.library.prompts import offers
from nebbet.library.round_kept import KeptRound, kept_rounds
from nebbet.library.round_ledger import (
    Round,
    Snapshot,
    name_of_round,
    releases,
    round_heads,
    round_of,
)
from nebbet.library.round_tables import Origin, difference, roles_of, take
from nebbet.library.store import Library
from nebbet.library.taking_out import held_on, take_out
from tests.conftest import NOW
from tests.library.making import CONTENT, opened

_READ = read_table(b"Mail,No\na@b.example,1\nc@d.example,2\n")
TABLE = ReadTable(_READ.headings, _READ.rows)


def made(member: str = "saoirse", how: str = "asks") -> Round:
    return Round(
        name_of_round(b"x", "", "t1", member), "Two", member, NOW, "t1", 1, TABLE,
        Matches({"Mail": "to"}), pace=Pace(60), how=how, snapshot=Snapshot(CONTENT),  # type: ignore[arg-type]
    )  # fmt: skip


def test_a_round_is_kept_with_all_that_it_is_made_of(library: Library) -> None:
    round_ = made()
    library.keep_round(round_)
    assert round_of(library.engine, round_.id) == round_
    library.keep_round(replace(round_, title="Other"))
    (head,) = round_heads(library.engine)
    assert (head.title, head.how, head.went, head.released) == ("Two", "asks", 0, False)
    library.claim_row(round_.id, "r2", "<m@x>", "saoirse", NOW)
    library.release_round(round_, "ivo", NOW)
    (head,) = round_heads(library.engine)
    assert (head.went, head.released) == (1, True)
    assert releases(library.engine, [round_.id])[round_.id].member == "ivo"


def test_a_kept_round_is_replaced_and_forgotten(library: Library) -> None:
    kept = KeptRound("k1", "Monthly", "ivo", "t1", Origin("file", "/x.csv", sheet="A"))
    library.keep_round_as(kept)
    library.keep_round_as(replace(kept, title="Weekly"))
    assert kept_rounds(library.engine) == [replace(kept, title="Weekly")]
    library.forget_round("k1")
    assert kept_rounds(library.engine) == []
    with pytest.raises(NebbetError):
        library.forget_round("k1")


def test_rules_are_those_that_were_seen(library: Library) -> None:
    assert library.catalogue(NOW).round_rules == RoundRules()
    library.put_round_rules(RoundRules(most=5), RoundRules())
    assert library.catalogue(NOW).round_rules.most == 5
    with pytest.raises(Overtaken):
        library.put_round_rules(RoundRules(most=7), RoundRules())


def test_the_database_wants_another_pair_of_eyes(team: str) -> None:
    with closing(opened(team, "saoirse")) as mine, closing(opened(team, "ivo")) as theirs:
        round_ = made()
        mine.keep_round(round_)
        with pytest.raises(NebbetError):
            mine.release_round(replace(round_, how="held"), "saoirse", NOW)
        with pytest.raises(NebbetError):
            mine.release_round(replace(round_, member="ivo"), "ivo", NOW)
        theirs.release_round(round_, "ivo", NOW)
        assert releases(mine.engine, [round_.id])[round_.id].member == "ivo"
        with pytest.raises(NebbetError):
            mine.put_round_rules(RoundRules(most=1), RoundRules())


def test_a_colleague_keeps_their_own_rounds_alone(team: str) -> None:
    with closing(opened(team, "saoirse")) as mine, closing(opened(team, "ottilie")) as lead:
        kept = KeptRound("k1", "Mine", "saoirse", "t1", Origin("people"))
        mine.keep_round_as(kept)
        mine.keep_round_as(replace(kept, title="Mine still"))
        lead.keep_round_as(replace(kept, id="k2", title="The lead's", member="ottilie"))
        with pytest.raises(NebbetError):
            mine.keep_round_as(replace(kept, id="k2", title="Taken over", member="ottilie"))
        with pytest.raises(NebbetError):
            mine.forget_round("k2")
        lead.forget_round("k1")


def test_a_change_of_a_case_asks_for_its_letter(library: Library) -> None:
    kind = Kind("claim", "claim", prompts=(Prompt(STATE, "settled", "t1"),))
    ann = Contact("ann", "ann@b.example", first_name="Ann")
    cases = [Case(f"c{n}", f"C-{n}", "claim", contact="ann", state="open") for n in range(3)]
    library.put(kind, ann, *cases)
    settled = [Changed(one, replace(one, state="settled")) for one in cases[:2]]
    library.change_people(settled)
    library.change_people([Changed(None, Case("c9", "C-9", "claim", state="settled"))])
    found = offers(library.engine, library.people, None, [])
    assert {one.matter.case.number for one in found} == {"C-0", "C-1"}, "none for a new one"
    assert library.answer_offer(found[0].id, "left", "")
    assert not library.answer_offer(found[0].id, "written", ""), "somebody was quicker"


def test_tables_of_what_is_on_file(library: Library) -> None:
    people = [Contact(f"p{n}", f"p{n}@b.example", first_name="Ann", last_name=f"Pell {n}",
                      more={"port": "Quillan"}) for n in range(3)]  # fmt: skip
    cases = [Case(f"c{n}", f"C-{n}", kind, contact="p1", fields={"seats": {"date": "2026-11-25"}})
             for n, kind in enumerate(("claim", "claim", "refund"))]  # fmt: skip
    library.put(*people, *cases, replace(people[0], id="gone", filed=True))
    table = take(Origin("people"), library.people).table
    assert len(table.rows) == 3 and table.headings[-1] == "Port"
    assert roles_of(table)["Email"] == "to"
    claims = take(Origin("cases", "claim"), library.people).table
    assert [row.cells[0] for row in claims.rows] == ["C-1", "C-0"]
    assert roles_of(claims)["Number"] == "case" and roles_of(claims)["Email"] == ""
    assert len(take(Origin("cases", words="refund pell"), library.people).table.rows) == 1
    with pytest.raises(NebbetError, match="Nobody is found"):
        take(Origin("people", words="nobody"), library.people)
    pasted = take(Origin("clipboard"), library.people, b"A\tB\n1\t2\n").table
    assert pasted.headings == ("A", "B")


def test_what_differs_is_told_by_rows() -> None:
    other = read_table(b"Mail,No\na@b.example,7\nc@d.example,2\ne@f.example,3\n")
    found = difference(TABLE, other)
    assert (found.new, found.other, found.gone, bool(found)) == (1, 1, 0, True)
    assert not difference(TABLE, TABLE)


def test_somebody_who_is_taken_out_is_in_no_round(library: Library) -> None:
    ann = Contact("ann", "ann@b.example", first_name="Ann", addresses=("pell@c.example",))
    library.put(ann, Case("c1", "C-1", contact="ann"), Contact("bo", "bo@c.example"))
    table = read_table(b"Mail,No\nAnn <ANN@b.example>,9\nbo@c.example,2\npell@c.example,3\nx,C-1\n")
    letter = Letter("r2", subject=("For Ann",))
    library.keep_round(
        replace(made(), table=table, snapshot=Snapshot(CONTENT, edited={2: letter, 3: letter}))
    )
    held = held_on(library, "ann")
    assert held and [row.cells["No"] for row in held.rows] == ["9", "3", "C-1"]
    take_out(library, held)
    kept = round_of(library.engine, made().id)
    assert kept and [row.cells for row in kept.table.rows] == [
        ("", ""), ("bo@c.example", "2"), ("", ""), ("", "")
    ]  # fmt: skip
    assert kept.snapshot.edited.keys() == {3} and kept.title == "Two"
