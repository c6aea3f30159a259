"""Bodies of any kind, for tests of what must hold for all of them."""

from hypothesis import strategies as st

from nebbet.core.body import (
    Break,
    Button,
    Divider,
    FactRow,
    Gap,
    Guidance,
    Heading,
    Included,
    ListItem,
    Paragraph,
    Picture,
    Run,
    Start,
    tidy,
)
from nebbet.core.inline import Slot

FILE = "a" * 64
# U+FFFC stands for an object that a text holds, and not for itself (Unicode, §23.8).
TEXT = st.text(
    st.characters(blacklist_categories=["Cs", "Cc", "Zl", "Zp"], blacklist_characters="{}\ufffc"),
    min_size=1,
    max_size=12,
)
NAME = st.sampled_from(["name", "case.from", "answer by"])
LINK = st.sampled_from(
    [(), ("https://a.example/x?y=1&z=2",), ("https://a.example/", Slot("case.number"))]
)
FLAG = st.booleans()
RUN = st.builds(Run, st.one_of(TEXT, NAME.map(Slot)), FLAG, FLAG, LINK, FLAG, FLAG)
SIZE = st.sampled_from([0, 0, 40, 900])
PICTURE = st.builds(Picture, st.just(FILE), st.just(("Plan",)), SIZE, SIZE, LINK)
INLINES = st.lists(
    st.one_of(RUN, st.just(Break()), st.just(Start()), st.just(Gap()), PICTURE), max_size=5
).map(tuple)
PLACED = {
    "when": st.sampled_from(["", "", "case.fare > 10 GBP", 'vehicle contains "van"']),
    "each": st.sampled_from(["", "", "case.tickets"]),
    "align": st.sampled_from(["", "center", "right"]),
    "quote": FLAG,
    "column": st.sampled_from([0, 0, 0, 1, 2, 3]),
}
BLOCK = st.one_of(
    st.builds(Paragraph, INLINES, **PLACED),
    st.builds(Heading, INLINES, st.integers(1, 2), **PLACED),
    st.builds(ListItem, INLINES, FLAG, st.integers(0, 3), **PLACED),
    st.builds(FactRow, INLINES, **PLACED),
    st.builds(Button, INLINES, LINK, **PLACED),
    st.builds(Divider, **PLACED),
    st.builds(Guidance, INLINES, **PLACED),
    st.builds(Included, st.sampled_from(["hours", "how to pay"]), **PLACED),
)
BODIES = st.lists(BLOCK, max_size=8).map(tidy)
