"""Letters of rows that go elsewhere than to their recipients: to oneself as a test, into the drafts
of one's mailbox."""

from collections.abc import Callable, Sequence

from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.message.outgoing import Outgoing
from nebbet.core.records import Member, contact_for
from nebbet.core.sentences import counted, said
from nebbet.desktop.session.session import Session
from nebbet.library.catalogue import Catalogue
from nebbet.library.rounds import RowLetter


def send_to_me(session: Session, catalogue: Catalogue, rows: Sequence[RowLetter]) -> None:
    """Send the letters of rows to oneself: marked, and in no register and no ledger."""
    me = session.shared.me
    if me is None or not rows:
        session.voice.say(said("Nebbet does not know who you are: complete your profile."))
        return
    made, secrets = _composing(session, catalogue, me), session.parts.secrets
    account = session.sending.account_of(rows[0].letter)
    to, mark = contact_for("test", me.name, me.email), said("Test: ")
    letters = [
        replace(row.letter, recipient=to, to=(), cc=(), bcc=(), subject=(mark, *row.letter.subject))
        for row in rows
    ]

    def act() -> str:
        from nebbet.post import smtp
        from nebbet.post.secret import secret_of

        password = secret_of(account, secrets)
        for letter in letters:
            outgoing = made(letter)
            smtp.deliver(account, password, outgoing.sender, outgoing.recipients, outgoing.data)
        return me.email

    def failed(error: NebbetError) -> None:
        session.voice.fail(NebbetError(error.what, advice=said("Nothing was sent")))

    def done(email: str) -> None:
        if len(letters) == 1:
            session.voice.say(said("The test went to {to}.", to=email))
        else:
            session.voice.say(said("{count} tests went to {to}.", count=len(letters), to=email))

    session.network.run(act, done, failed)


def _composing(session: Session, catalogue: Catalogue, me: Member) -> Callable[[Letter], Outgoing]:
    """What makes messages of letters, as they are now; for work in the background."""
    writer, files, token = session.shared.writer(), session.shared.files, session.parts.token

    def made(letter: Letter) -> Outgoing:
        from nebbet.core.message.compose import compose

        return compose(
            letter, me, now=writer.moment, token=token, frame=catalogue.frame(letter.frame),
            files=files, own=writer.own,
        )  # fmt: skip

    return made


def one_of_each(rows: Sequence[RowLetter], most: int = 6) -> list[RowLetter]:
    """One row of each sort: of each language, with and without files, with and without what is
    found; as they stand."""
    found: dict[object, RowLetter] = {}
    for row in rows:
        letter = row.letter
        parts = tuple(bool(block.out) for block in letter.body if block.when)
        sort = (letter.language, len(letter.attached), parts, row.state)
        found.setdefault(sort, row)
    return list(found.values())[:most]


def to_drafts(session: Session, catalogue: Catalogue, rows: Sequence[RowLetter]) -> None:
    """Put the letters of rows into the drafts of one's own mailbox, to be sent from there. They are
    in no register and no ledger: nobody knows whether they go."""
    shared, me = session.shared, session.shared.me
    if me is None or not rows:
        session.voice.say(said("There is no letter that may go."))
        return
    made, now = _composing(session, catalogue, me), shared.now()
    account, secrets = session.sending.account_of(rows[0].letter), session.parts.secrets

    def act() -> str:
        from nebbet.core.message.compose import with_bcc
        from nebbet.post.imap import file_drafts
        from nebbet.post.secret import secret_of

        outgoing = (made(row.letter) for row in rows)
        data = (with_bcc(one.data, one.bcc) for one in outgoing)
        return file_drafts(account, secret_of(account, secrets), data, now)

    def done(folder: str) -> None:
        session.voice.say(
            counted(
                "1 letter is in the folder {folder} of your mailbox.",
                "{count} letters are in the folder {folder} of your mailbox.",
                count=len(rows), folder=folder,
            )
        )  # fmt: skip

    session.network.run(act, done, session.voice.fail)
