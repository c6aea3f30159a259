"""A shelf of sample templates for a library that has none yet."""

from datetime import datetime

from nebbet.core.letter import Content, Texts
from nebbet.core.placeholders import Placeholder
from nebbet.core.sentences import said
from nebbet.library.holdings import Shelf
from nebbet.library.store import Library

SHELF = "samples"
_SIGNATURE = '<div data-passage="sender.signature"></div>'
_FRAME = "letter"


def _content(subject: str, *paragraphs: str, declared: tuple[Placeholder, ...] = ()) -> Content:
    body = "".join(f"<p>{text}</p>\n" if not text.startswith("<") else f"{text}\n"
                   for text in ("{{recipient.greeting}}", *paragraphs))  # fmt: skip
    text = Texts(subject, f"{body}<p>Kind regards,</p>\n{_SIGNATURE}\n")
    return Content({"en_GB": text}, declared, frame=_FRAME)


def samples() -> dict[str, tuple[str, Content]]:
    """The samples: their titles and what they say. Each shows one thing that templates can do."""
    working = Placeholder("answer by", source="date", of="today + 2 working days", format="full")
    return {
        "sample-received": (
            "We have your message",
            _content(
                "We have your message",
                "Thank you for your message. We look into it and answer by {{answer by}}.",
                declared=(working,),
            ),
        ),
        "sample-answer": (
            "An answer to a question",
            _content(
                "Your question about {{topic}}",
                "You asked about {{topic}}.",
                "{{answer}}",
                "If anything is open, simply answer this message.",
                declared=(
                    Placeholder("topic", hint="two or three words, such as: our opening hours"),
                    Placeholder("answer", kind="long text"),
                ),
            ),
        ),
        "sample-appointment": (
            "An appointment is confirmed",
            _content(
                "Your appointment on {{day|short}}",
                "We expect you on {{day}} at {{time}}, {{place}}.",
                '<p data-when="bring != &quot;&quot;">Please bring {{bring}}.</p>',
                "If the day does not suit you, tell us by {{change by}}.",
                declared=(
                    Placeholder("day", kind="date", format="full"),
                    Placeholder("time", kind="time"),
                    Placeholder("place", remember=True),
                    Placeholder("bring", label="What to bring", required=False),
                    Placeholder("change by", source="date", of="day - 2 working days"),
                ),
            ),
        ),
        "sample-amount": (
            "Money is paid back",
            _content(
                "Your refund of {{refund}}",
                "We pay back {{share}} % of the {{paid}} that you paid: {{refund}}. It is on your "
                "account by {{paid by}}.",
                declared=(
                    Placeholder("paid", label="Amount paid", kind="money", currency="EUR"),
                    Placeholder("share", label="How much of it, in percent", kind="number",
                                least="0", most="100"),
                    Placeholder("refund", source="sum", of="paid * share / 100"),
                    Placeholder("paid by", source="date", of="today + 7 working days"),
                ),
            ),
        ),
        "sample-complaint": (
            "A complaint: first answer",
            _content(
                "Your complaint",
                "I am sorry about {{what went wrong}}. That is not how it should be.",
                "I ask those who were there and write to you again by {{answer by}}, with what I "
                "found.",
                declared=(
                    Placeholder("what went wrong", hint="in the words of whoever complained"),
                    Placeholder("answer by", source="date", of="today + 5 working days"),
                ),
            ),
        ),
    }  # fmt: skip


def put_up_samples(library: Library, author: str, now: datetime) -> None:
    """Put up the shelf with the samples, in use and ready to be changed."""
    library.add_shelf(Shelf(SHELF, said("Samples")))
    for key, (title, content) in samples().items():
        library.add_template(key, SHELF, title)
        library.save_edition(key, title, content, author=author, note=said("A sample"), made=now)
