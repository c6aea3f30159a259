"""The whole job through the real window: find, take, choose, complete, send, find again."""

from email.message import EmailMessage

from nebbet.standin.papers import make_papers
from nebbet.standin.ports import CATCH_ALL
from tests.desktop.conftest import Hand

ME = "benedek.roy@lislesound.example"
SUBJECT = "Your claim DC-1107: damage on board the Merrin"
PLAIN = """\
Dear Hanna,

I am sorry to tell you that your sailing from Marrowby to Quillan on Thursday, 26 November \
2026, 16:30 will not run. The reason is a strong northerly, and safety on the Sound leaves us no \
choice.

You can choose what suits you better:

- Travel on another sailing. We are holding places for you on Friday at 08:15, the Gannet, at no \
extra charge. Please tell us by Thursday, 26 November 2026, 17:00 that you would like them.
- Have your money back. We return the whole fare of £148.50 to the card you paid with by Monday, \
7 December 2026.
"""


def text_of(message: EmailMessage, kind: str) -> str:
    part = message.get_body((kind,))
    assert part is not None
    return str(part.get_content()).replace("\r\n", "\n")


def check_the_message(message: EmailMessage) -> None:
    assert str(message["Subject"]) == (
        "Your sailing Marrowby to Quillan is cancelled (booking LS-48211)"
    )
    assert str(message["From"]) == f"Benedek Roy <{ME}>"
    assert str(message["To"]) == "Hanna Verrell <hanna.verrell@post.example>"
    assert text_of(message, "plain").startswith(PLAIN)
    formatted = text_of(message, "html")
    for words in ("a strong northerly", "Friday at 08:15, the Gannet", "£148.50", "Dear Hanna,"):
        assert words in formatted
    assert "{{" not in formatted + text_of(message, "plain")
    (enclosure,) = message.iter_attachments()
    assert enclosure.get_filename() == "Conditions of carriage.pdf"
    assert enclosure.get_content() == make_papers()["conditions.pdf"][0]


def test_with_the_keyboard_alone(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("sailing canc")
    hand.press("Return")
    hand.type("verrell")
    hand.press("Return")
    hand.type("a strong northerly")
    hand.press("Return")
    hand.type("Friday at 08:15, the Gannet")
    hand.press("Return")
    assert hand.focus is hand.window.letters.sending.button
    hand.press("Ctrl+Return")
    hand.sent_all()
    (arrived,) = hand.mailbox()
    check_the_message(arrived)
    (own,) = hand.mailbox(ME, "Sent")
    check_the_message(own)
    # And find it again in the register.
    hand.press("Alt+5")
    hand.type("LS-48211")
    hand.until(hand.window.register.table.rowCount)
    hand.press("Return", "Return")
    view = hand.window.register.view
    hand.until(view.isVisible)
    assert "Marrowby to Quillan is cancelled" in view.subject.text()
    assert "a strong northerly" in view.reader.toPlainText()


def test_with_the_mouse_alone(hand: Hand) -> None:
    """Letters are typed, everything else is clicked."""
    window = hand.window
    hand.click(window.place_buttons["library"])
    hand.click_row(window.library.shelves, "Sailings")
    hand.click_row(window.library.table, "Sailing cancelled")
    hand.click(window.library.pane.take_button)
    letters = window.letters
    hand.click(letters.paper.to)
    hand.type("han")
    hand.click_row(letters.paper.to.list, "Hanna Verrell")
    hand.click_text(letters.paper.body, "Reason for the cancellation")
    hand.type("a strong northerly")
    hand.click(letters.particulars.rows["othersailing"].field)
    hand.type("Friday at 08:15, the Gannet")
    hand.click(letters.sending.button)
    hand.sent_all()
    (arrived,) = hand.mailbox()
    check_the_message(arrived)
    hand.click(window.place_buttons["register"])
    hand.click_row(window.register.table, "2026", double=True)
    hand.until(window.register.view.isVisible)


def test_copies_enclosures_and_pictures_go_along(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("boarding help")
    hand.press("Return")
    hand.type("osgath")
    hand.press("Return")
    hand.type("10:00")
    hand.press("Ctrl+Return")
    hand.sent_all()
    first, *others = hand.mailbox()
    assert len(others) == 2, "the access team and the port's desk have a copy each"
    assert str(first["Cc"]) == "access@lislesound.example, quillan.port@lislesound.example"
    papers = make_papers()
    (card,) = first.iter_attachments()
    assert card.get_content() == papers["assistance-card.pdf"][0]
    (picture,) = [p for p in first.walk() if p.get_content_type() == "image/png"]
    assert picture.get_content() == papers["port-desks.png"][0]
    assert f"cid:{str(picture['Content-ID']).strip('<>')}" in text_of(first, "html")
    assert "[Plan of the four ports" in text_of(first, "plain")


def test_the_attachment_s_name_is_filled_too(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("damage")
    hand.press("Return")
    hand.type("adeyinka")
    hand.press("Return")
    hand.press("Ctrl+Return")
    hand.sent_all()
    found = hand.mailbox(CATCH_ALL)[0]
    names = [part.get_filename() for part in found.iter_attachments()]
    assert names == ["Claim form DC-1107.pdf", "Conditions of carriage.pdf"]
    assert str(found["Subject"]) == SUBJECT
    assert str(found["Reply-To"]) == "claims@lislesound.example"
    assert "The report of our crew is in your file" in text_of(found, "plain")


def test_somebody_who_is_not_in_the_contacts(hand: Hand) -> None:
    hand.press("Ctrl+N")
    hand.type("Ada Byron <ada@engine.example>")
    hand.press("Return")
    hand.press("Ctrl+J")
    hand.type("complaint first")
    hand.press("Return")
    rows = hand.window.letters.particulars.rows
    assert rows["recipient.firstname"].field.text() == "Ada"  # type: ignore[union-attr]
    for text in ("<from>", "Oar Head", "Friday", "The lift was out of order.", "CP-1"):
        hand.type(text)
        hand.press("F6")
    hand.press("Ctrl+Return")
    hand.until(lambda: "Send again" in hand.said)
    assert "looks like a prompt" in hand.said
    hand.press("Ctrl+Return")
    hand.sent_all()
    (arrived,) = hand.mailbox()
    assert "The lift was out of order. That is not how" in text_of(arrived, "plain")
    assert "&lt;from&gt;" in text_of(arrived, "html")


def test_a_french_passenger_gets_the_french_text(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("sailing canc")
    hand.press("Return")
    hand.type("solene")
    hand.press("Return")
    body = hand.window.letters.paper.body
    assert "Bonjour Solène," in body.toPlainText()
    assert "vendredi 27 novembre 2026" in body.toPlainText()
    assert hand.window.letters.model.letter is not None
    assert hand.window.letters.model.letter.language == "fr"
