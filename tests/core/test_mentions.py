"""Names in a text, the language of a text, and the words of files. Sources: office files as their
standards say where words stand (ECMA-376 part 1, ODF 1.3), made here by hand or by XlsxWriter;
sentences in languages are invented."""

import io
import zipfile

import pytest
import xlsxwriter

from nebbet.core.checks.mentions import names_in
from nebbet.core.message.file_text import text_of_file
from nebbet.core.spoken import written_in

WORD = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
ODF = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("We heard from Bo Quill today.", "Bo Quill"),
        ("Herr Jürgen Weiß-Groß war da", "Jürgen Weiß-Groß"),
        ("signed, Anna van der Berg", "Anna van der Berg"),
        ("QUILL, Bo O'Neill", "Bo O'Neill"),
    ],
)
def test_names_stand_among_words(text: str, name: str) -> None:
    assert name in names_in(text)


def test_what_is_apart_is_no_name() -> None:
    assert names_in("Ann. Bo\nQuill, and the Ferry") == []
    assert len(names_in("Word " * 20_000)) <= 4000


@pytest.mark.parametrize(
    ("language", "text"),
    [
        ("en", "We have received your message and will answer it by the end of the week."),
        ("de", "Wir haben Ihre Nachricht erhalten und werden sie bald beantworten."),
        ("fr", "Nous avons bien reçu votre message et nous vous répondons dans les jours."),
        ("nl", "Wij hebben uw bericht ontvangen en zijn het nu voor u aan het bekijken."),
        ("es", "Hemos recibido su mensaje y le contestamos con gusto en los próximos días del mes"),
        ("it", "Abbiamo ricevuto la sua lettera e le rispondiamo nei prossimi giorni con gli "
               "orari della nave che sono nella tabella."),
        ("nb", "Vi har fått meldingen din og skal svare deg etter helgen, når det er mulig."),
        ("sv", "Vi har fått ditt meddelande och ska svara dig så snart det går att göra."),
        ("pl", "Dziękujemy za list, który przyszedł, i prosimy o trochę cierpliwości; to nie jest "
               "dla nas łatwe."),
        ("fi", "Kiitos viestistä, joka on tullut, ja me vastaamme teille, kun se on luettu."),
        ("", "LS-48213"),
        ("", "Ann Pell, Harbour House, Marrowby"),
    ],
)  # fmt: skip
def test_a_text_says_which_language_it_is_in(language: str, text: str) -> None:
    assert written_in(text) == language


def packed(**parts: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as made:
        for name, text in parts.items():
            made.writestr(name.replace("__", "/").replace("_xml", ".xml"), text)
    return out.getvalue()


def test_the_words_of_office_files() -> None:
    written = packed(word__document_xml=(
        f'<w:document xmlns:w="{WORD}"><w:body><w:p><w:r><w:t>Dear Bo Qu</w:t></w:r>'
        "<w:r><w:t>ill,</w:t></w:r></w:p><w:p><w:r><w:t>LS-1</w:t></w:r></w:p>"
        "</w:body></w:document>"
    ))  # fmt: skip
    assert text_of_file(written, "a.docx").split("\n")[:2] == ["Dear Bo Quill,", "LS-1"]
    open_text = packed(content_xml=(
        f'<o xmlns:text="{ODF}"><text:p>Dear <text:span>Bo</text:span> Quill</text:p></o>'
    ))  # fmt: skip
    assert text_of_file(open_text, "a.odt").strip() == "Dear Bo Quill"
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    book.add_worksheet().write_row(0, 0, ["Bo Quill", "LS-48213"])
    book.close()
    assert {"Bo Quill", "LS-48213"} <= set(text_of_file(out.getvalue(), "a.xlsx").split("\n"))


def test_what_cannot_be_read_has_no_words() -> None:
    bomb = packed(content_xml='<!DOCTYPE a [<!ENTITY b "bb">]><a>&b;</a>')
    assert "bb" not in text_of_file(bomb, "a.odt")
    for data in (b"", b"PK\x03\x04broken", packed(content_xml="<a>"), packed(other="x")):
        assert text_of_file(data, "a.docx") == ""
    assert text_of_file(b"\xff\xd8picture", "a.jpg") == ""
    assert text_of_file("Zoë".encode("latin-1"), "a.txt") == "Zoë"
    assert text_of_file(b"<p>Bo <b>Quill</b>", "a.html").split() == ["Bo", "Quill"]
