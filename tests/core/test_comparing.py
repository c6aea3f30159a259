"""Comparing and merging: what is marked is what changed, and nothing of either side is lost."""

from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from nebbet.core import inline
from nebbet.core import letter as letters
from nebbet.core.body import Body, lines_of, read
from nebbet.core.comparing import Row, compare, merge, taken_over, word_pieces
from nebbet.core.comparing.merge import merge_rows
from nebbet.core.letter import (
    Content,
    Copies,
    Copy,
    Enclosure,
    Letter,
    TemplateDraft,
    Texts,
    older,
)
from nebbet.core.placeholders import Placeholder, World
from tests.core.test_body import BODIES

BODY = (
    "<p>Dear you,</p>\n<p>We are open until five.</p>\n<ul>\n<li>one\n<li>two\n</ul>\n<p>Bye</p>\n"
)
BASE = TemplateDraft(
    "Hours",
    "s1",
    Content(
        {"en_GB": Texts("Our hours", BODY)},
        (Placeholder("day", source="date", of="today + 1 day"), Placeholder("reason")),
        Copies(cc="a@lisle.example", conditional=(Copy("cc", "b@lisle.example", "n > 1"),)),
        (Enclosure("f" * 64, "A.pdf"),),
    ),
)


def with_body(draft: TemplateDraft, old: str, new: str) -> TemplateDraft:
    texts = draft.content.texts["en_GB"]
    assert old in texts.body
    return with_text(draft, replace(texts, body=texts.body.replace(old, new)))


def with_text(draft: TemplateDraft, texts: Texts, code: str = "en_GB") -> TemplateDraft:
    return replace(draft, content=replace(draft.content, texts=draft.content.texts | {code: texts}))


def with_content(draft: TemplateDraft, **change: object) -> TemplateDraft:
    return replace(draft, content=replace(draft.content, **change))


def marked(row: Row) -> tuple[str, str]:
    """A row with what was removed in brackets, what was added in braces."""
    signs = {"same": "{}", "removed": "[{}]", "added": "<{}>"}
    one, other = (
        "".join(signs[p.kind].format(p.text) for p in side) for side in (row.before, row.after)
    )
    return one, other


# One file twice, one address twice

TWICE = with_content(
    BASE,
    enclosures=(
        Enclosure("f" * 64, "A.pdf", when="n > 1"),
        Enclosure("f" * 64, "A.pdf", when="n < 9"),
    ),
    copies=Copies(conditional=(Copy("cc", "b@x.example", "n > 1"), Copy("cc", "b@x.example", "m"))),
)


def test_one_file_enclosed_twice_is_two_things() -> None:
    kept = TWICE.content.enclosures
    assert merge(TWICE, TWICE, replace(TWICE, title="New")).draft.content.enclosures == kept
    less = with_content(TWICE, enclosures=kept[1:])
    assert merge(TWICE, less, TWICE).draft.content.enclosures == kept[1:]
    assert merge(TWICE, TWICE, less).draft.content.enclosures == kept[1:]
    other = with_content(TWICE, enclosures=(kept[0], replace(kept[1], when="n < 5")))
    both = merge(TWICE, less, other)
    assert (both.draft.content.enclosures, both.clashes) == (other.content.enclosures[1:], ())
    assert merge(BASE, TWICE, BASE).draft.content.enclosures == kept


def test_one_address_copied_twice_is_two_things() -> None:
    copies = TWICE.content.copies.conditional
    made = merge(TWICE, TWICE, replace(TWICE, title="New")).draft.content.copies
    assert made.conditional == copies
    less = with_content(TWICE, copies=Copies(conditional=copies[:1]))
    assert merge(TWICE, TWICE, less).draft.content.copies.conditional == copies[:1]


def test_the_comparison_shows_which_of_two_went() -> None:
    less = with_content(
        TWICE,
        enclosures=TWICE.content.enclosures[1:],
        copies=Copies(conditional=TWICE.content.copies.conditional[:1]),
    )
    shown = {s.name: [marked(row) for row in s.rows if row.changed] for s in compare(TWICE, less)}
    assert shown == {
        "Copies under a condition": [("[Cc: b@x.example, only if m]", "")],
        "Enclosures": [(f"[A.pdf ({'f' * 64}), only if n > 1]", "")],
    }


def test_the_comparison_shows_another_shelf_and_where_a_link_leads_now() -> None:
    (section,) = compare(BASE, replace(BASE, shelf="s2"), shelf={"s1": "One", "s2": "Two"}.get)
    assert (section.name, marked(section.rows[0])) == ("Shelf", ("[One]", "<Two>"))
    one, other = (
        with_body(BASE, "Dear you,", f'See <a href="https://{host}.example/">this</a>,')
        for host in "ab"
    )
    (section,) = compare(one, other)
    assert marked(section.rows[0]) == (
        "See this → https://[a].example/,", "See this → https://<b>.example/,",
    )  # fmt: skip


def test_a_text_that_became_finished_on_the_other_side_is_so() -> None:
    finished = with_text(BASE, Texts("Our hours", "<p>whole</p>", finished=True))
    done = merge(BASE, replace(BASE, title="New"), finished)
    assert done.clashes == ()
    assert done.draft.content.texts["en_GB"] == finished.content.texts["en_GB"]
    clash = merge(BASE, with_body(BASE, "Bye", "Yours"), finished)
    assert clash.clashes == ("the text in English",)
    assert not clash.draft.content.texts["en_GB"].finished


# Comparing


@given(st.text("ab .x\n", max_size=60), st.text("ab .x\n", max_size=60))
def test_each_side_is_whole_and_what_is_same_is_in_both(before: str, after: str) -> None:
    old, new = word_pieces(before, after)
    assert "".join(p.text for p in old) == before and "".join(p.text for p in new) == after
    same = ["".join(p.text for p in side if p.kind == "same") for side in (old, new)]
    assert same[0] == same[1]
    assert (old == new) == (before == after)


def longest(one: str, other: str) -> int:
    """The length of a longest common row of letters, by the textbook's table (Cormen et al.,
    Introduction to Algorithms, 15.4)."""
    table = [[0] * (len(other) + 1) for _ in range(len(one) + 1)]
    for i, a in enumerate(one):
        for j, b in enumerate(other):
            table[i + 1][j + 1] = (
                table[i][j] + 1 if a == b else max(table[i][j + 1], table[i + 1][j])
            )
    return table[-1][-1]


@given(st.text("abc", max_size=12), st.text("abc", max_size=12))
def test_as_much_as_can_be_is_the_same(before: str, after: str) -> None:
    old, _ = word_pieces(" ".join(before), " ".join(after))
    kept = "".join(p.text for p in old if p.kind == "same")
    assert longest(" ".join(before), " ".join(after)) == len(kept)


def test_only_what_differs_is_shown_with_what_is_around_it() -> None:
    later = with_body(BASE, "until five", "until six o’clock")
    (section,) = compare(BASE, later, language=lambda code: f"<{code}>")
    assert section.name == "Text, <en_GB>"
    assert [marked(row) for row in section.rows][:3] == [
        ("Dear you,", "Dear you,"),
        ("We are open until [five].", "We are open until <six o’clock>."),
        ("• one", "• one"),
    ]
    assert [row.changed for row in section.rows] == [False, True, False, False, False]
    assert compare(BASE, BASE) == ()


def test_every_part_of_a_template_is_compared() -> None:
    later = replace(
        with_content(
            BASE,
            copies=Copies(cc="a@lisle.example, c@lisle.example"),
            enclosures=(Enclosure("f" * 64, "B.pdf"), Enclosure("e" * 64, "C.pdf", when="n > 2")),
            placeholders=(Placeholder("day", source="date", of="today + 2 days"),),
            frame="ports",
            calendar="FR",
        ),
        title="Opening hours",
    )
    later = with_text(later, Texts("Nos horaires", "<p>x</p>\n"), "fr")
    names = [section.name for section in compare(BASE, later)]
    assert names == [
        "Title", "Subject, fr", "Text, fr", "Cc", "Copies under a condition", "Enclosures",
        "Placeholders", "Frame", "Public holidays",
    ]  # fmt: skip
    rows = {s.name: [marked(r) for r in s.rows] for s in compare(BASE, later, file=lambda f: f[0])}
    assert rows["Enclosures"] == [
        ("[A].pdf (f)", "<B>.pdf (f)"),
        ("", "<C.pdf (e), only if n > 2>"),
    ]
    assert rows["Placeholders"] == [
        ("day; source date; of today + [1] [day]", "day; source date; of today + <2> <days>"),
        ("[reason]", ""),
    ]


def test_a_change_of_look_is_seen_and_blocks_are_put_beside_each_other() -> None:
    bold = with_body(BASE, "Bye", "<strong>Bye</strong>")
    (section,) = compare(BASE, bold)
    assert [row.look for row in section.rows] == [False] * 4 + [True]
    moved = with_body(
        BASE, "<p>Bye</p>", "<p>Something else altogether, quite new.</p>\n<p>Bye!</p>"
    )
    (section,) = compare(BASE, moved)
    assert [marked(row) for row in section.rows][4:] == [
        ("", "<Something else altogether, quite new.>"), ("Bye", "Bye<!>")
    ]  # fmt: skip


@given(BODIES, BODIES)
def test_any_two_bodies_can_be_compared(one: Body, other: Body) -> None:
    from nebbet.core.body import write

    drafts = [with_text(BASE, Texts("S", write(body))) for body in (one, other)]
    found = compare(*drafts)
    assert (found == ()) == (write(one) == write(other))


# Merging


def test_changes_that_do_not_touch_are_both_there() -> None:
    mine = with_body(BASE, "until five", "until six")
    theirs = with_content(
        with_body(BASE, "Bye", "Goodbye"),
        frame="ports",
        enclosures=(*BASE.content.enclosures, Enclosure("e" * 64, "C.pdf")),
        copies=replace(BASE.content.copies, bcc="z@lisle.example"),
    )
    merged = merge(BASE, mine, theirs)
    assert merged.clashes == ()
    content = merged.draft.content
    assert content.texts["en_GB"].body == BODY.replace("five", "six").replace("Bye", "Goodbye")
    assert (content.frame, content.copies.bcc) == ("ports", "z@lisle.example")
    assert [e.name for e in content.enclosures] == ["A.pdf", "C.pdf"]
    assert merge(BASE, theirs, mine).draft == merged.draft


def test_changes_of_the_same_place_are_told_and_mine_stays() -> None:
    mine = replace(with_body(BASE, "until five", "until six"), title="Mine")
    theirs = replace(with_body(BASE, "until five", "until seven"), title="Theirs")
    merged = merge(BASE, mine, theirs)
    assert merged.clashes == ("the text in English", "the title")
    assert merged.draft == mine


def test_what_one_side_took_out_is_out_unless_the_other_changed_it() -> None:
    without = with_content(BASE, placeholders=BASE.content.placeholders[:1])
    assert merge(BASE, without, BASE).draft == without
    assert merge(BASE, BASE, without).draft == without
    changed = with_content(
        BASE, placeholders=(BASE.content.placeholders[0], Placeholder("reason", "Why"))
    )
    merged = merge(BASE, changed, without)
    assert merged.clashes == ("the placeholder reason",) and merged.draft == changed


def test_languages_come_and_go() -> None:
    french = with_text(BASE, Texts("Horaires", "<p>x</p>\n"), "fr")
    merged = merge(BASE, with_body(BASE, "Bye", "Goodbye"), french)
    assert list(merged.draft.content.texts) == ["en_GB", "fr"] and merged.clashes == ()
    assert merge(french, BASE, french).draft == BASE


def test_a_translation_is_not_made_newer_by_merging() -> None:
    first = BASE.content.texts["en_GB"]
    both = with_text(BASE, Texts("Horaires", "<p>x</p>\n", first.fingerprint), "fr")
    mine = with_body(both, "until five", "until six")  # the translation is older now
    assert older(mine.content) == ("fr",)
    assert older(merge(both, mine, with_body(both, "Bye", "Adieu")).draft.content) == ("fr",)
    assert older(merge(both, both, both).draft.content) == ()


ROWS = st.lists(st.integers(0, 5), max_size=8)


@given(ROWS, ROWS)
def test_with_one_side_unchanged_the_other_is_the_outcome(
    base: list[int], other: list[int]
) -> None:
    """Khanna, Kunal & Pierce 2007: a merge with an unchanged side gives the other side."""
    assert merge_rows(base, other, base) == (other, False)
    assert merge_rows(base, base, other) == (other, False)
    assert merge_rows(base, other, other) == (other, False)


@given(ROWS, st.integers(0, 8), st.integers(0, 8))
def test_two_insertions_apart_are_both_kept(base: list[int], one: int, other: int) -> None:
    row = list(range(10, 10 + len(base)))
    first, second = sorted((min(one, len(row)), min(other, len(row))))
    if first == second:
        return
    mine, theirs = [*row[:first], 98, *row[first:]], [*row[:second], 99, *row[second:]]
    both = [*row[:first], 98, *row[first:second], 99, *row[second:]]
    assert merge_rows(row, mine, theirs) == (both, False)


def test_neighbours_changed_by_two_are_not_the_same_place() -> None:
    assert merge_rows("abcd", "aBcd", "abCd") == (["a", "B", "C", "d"], False)
    assert merge_rows("abcd", "aBcd", "aXCd") == (["a", "B", "C", "d"], True)


def test_merging_reads_bodies_as_they_are_kept() -> None:
    merged = merge(BASE, BASE, with_body(BASE, "<p>Bye</p>", "<hr>"))
    assert read(merged.draft.content.texts["en_GB"].body) == read(
        BODY.replace("<p>Bye</p>", "<hr>")
    )


# Letters


def test_a_letter_takes_over_a_newer_edition_and_keeps_what_was_typed(world: World) -> None:
    template = with_text(
        BASE,
        Texts(
            "About {{reason}}",
            "<p>Dear you,</p>\n<p>The reason is {{reason}}.</p>\n<p>So it is.</p>\n<p>Bye</p>\n",
        ),
    )
    newer = with_body(with_body(template, "Bye", "Goodbye"), "Dear you", "Good day")

    def begun(draft: TemplateDraft, edition: int) -> Letter:
        made = letters.start("l", draft.content, template="t", edition=edition)
        return letters.work_out(letters.answer(made, "reason", "fog"), world)[0]

    old, new = begun(template, 1), begun(newer, 2)
    written = replace(old, body=(*old.body[:2], *read("<p>By hand.</p>"), *old.body[2:]))
    taken, clashed = taken_over(written, old, new)
    said = [inline.shown(line) for line in lines_of(taken.body)]
    assert said == ["Good day,", "The reason is fog.", "By hand.", "So it is.", "Goodbye"]
    assert (clashed, taken.edition, taken.answers) == (False, 2, {"reason": "fog"})
    mine = replace(old, body=(*read("<p>My own greeting</p>"), *old.body[1:]))
    taken, clashed = taken_over(mine, old, new)
    assert clashed and inline.shown(next(lines_of(taken.body))) == "My own greeting"
    assert taken_over(old, old, new)[0].body == new.body
