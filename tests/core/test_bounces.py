"""Letters that come back. Sources: RFC 3464 appendix E.1 and E.3 (from memory, shortened), RFC 3463
§3 for the words of the codes."""

import pytest

from nebbet.core.message.bounces import bounces_in, explained

FAILED = b"""\
Date: Thu, 7 Jul 1994 17:16:05 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>
Message-Id: <199407072116.RAA14128@CS.UTK.EDU>
Subject: Returned mail: Cannot send message for 5 days
To: <owner-info-mime@cs.utk.edu>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
 boundary="RAA14128.773615765/CS.UTK.EDU"

--RAA14128.773615765/CS.UTK.EDU

The original message was received at Sat, 2 Jul 1994 17:10:28 -0400
----- The following addresses had delivery problems -----
<louisl@larry.slip.umd.edu>  (unrecoverable error)

--RAA14128.773615765/CS.UTK.EDU
content-type: message/delivery-status

Reporting-MTA: dns; cs.utk.edu

Original-Recipient: rfc822;louisl@larry.slip.umd.edu
Final-Recipient: rfc822;louisl@larry.slip.umd.edu
Action: failed
Status: 4.0.0
Diagnostic-Code: smtp; 426 connection timed out
Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400

Final-Recipient: rfc822;other@x.example
Action: delivered
Status: 2.0.0

--RAA14128.773615765/CS.UTK.EDU
content-type: message/rfc822

Message-ID: <original@cs.utk.edu>
Subject: hello

[original message goes here]
--RAA14128.773615765/CS.UTK.EDU--
"""


def test_the_report_of_the_standard() -> None:
    (found,) = bounces_in(FAILED)
    assert found.letter == "<original@cs.utk.edu>" and not found.is_late
    assert found.address == "louisl@larry.slip.umd.edu"
    assert found.words == "426 connection timed out"
    assert found.why == "their server did not take it"


def test_headers_alone_and_a_delay() -> None:
    data = FAILED.replace(b"content-type: message/rfc822", b"content-type: text/rfc822-headers")
    data = data.replace(b"Action: failed", b"Action: delayed").replace(b"4.0.0", b"4.2.2")
    (found,) = bounces_in(data)
    assert found.letter == "<original@cs.utk.edu>" and found.is_late
    assert found.why == "the mailbox is full"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("5.1.1", "there is no such mailbox"),
        ("smtp; 552 5.2.2 quota", "the mailbox is full"),
        ("5.7.26", "the sender's domain could not be made sure of"),
        ("5.9.9", ""),
        ("15.1.1", ""),
        ("no code", ""),
    ],
)
def test_codes_in_words(text: str, words: str) -> None:
    assert explained(text) == words


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"Subject: Undelivered\n\nSorry.",
        b"Content-Type: multipart/report\n\nno parts",
        FAILED.replace(b"Action: failed", b"Action: relayed"),
        FAILED.replace(b"rfc822;louisl@larry.slip.umd.edu", b"rfc822;nobody"),
        FAILED[:700],
    ],
)
def test_what_is_no_report_reports_nothing(data: bytes) -> None:
    assert bounces_in(data) == ()
