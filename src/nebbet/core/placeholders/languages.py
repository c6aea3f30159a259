"""Words of a letter that CLDR does not have: yes and no, and how a person is greeted.

From memory, checked by no outside source; a language that is missing here greets by name alone.
"""

from collections.abc import Sequence

from babel import Locale
from babel.lists import format_list
from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.records import Contact, fold
from nebbet.core.sentences import said


class Greeting(Struct, frozen=True):
    """How one language greets.

    titled is used with a title and a last name, named with a first name, plain with neither.
    titles give what a person of known gender, or with a known title, is called.
    """

    titled: str
    named: str
    plain: str
    titles: dict[str, str] = {}


_YES_NO = {
    "en": ("yes", "no"), "de": ("ja", "nein"), "fr": ("oui", "non"), "es": ("sí", "no"),
    "it": ("sì", "no"), "nl": ("ja", "nee"), "pt": ("sim", "não"), "pl": ("tak", "nie"),
    "nb": ("ja", "nei"), "nn": ("ja", "nei"), "no": ("ja", "nei"), "da": ("ja", "nej"),
    "sv": ("ja", "nej"), "fi": ("kyllä", "ei"), "is": ("já", "nei"), "ca": ("sí", "no"),
    "gl": ("si", "non"), "eu": ("bai", "ez"), "cs": ("ano", "ne"), "sk": ("áno", "nie"),
    "sl": ("da", "ne"), "hr": ("da", "ne"), "sr": ("да", "не"), "bg": ("да", "не"),
    "ru": ("да", "нет"), "uk": ("так", "ні"), "hu": ("igen", "nem"), "ro": ("da", "nu"),
    "el": ("ναι", "όχι"), "tr": ("evet", "hayır"), "et": ("jah", "ei"), "lv": ("jā", "nē"),
    "lt": ("taip", "ne"), "ja": ("はい", "いいえ"), "ko": ("예", "아니요"), "zh": ("是", "否"),
    "ar": ("نعم", "لا"), "he": ("כן", "לא"),
}  # fmt: skip

_NORSE = Greeting("Hei {first} {last},", "Hei {first},", "Hei,")
_GREETINGS = {
    "en": Greeting(
        "Dear {title} {last},", "Dear {first},", "Hello,", {"female": "Ms", "male": "Mr"}
    ),
    "fr": Greeting(
        "Bonjour {title} {last},",
        "Bonjour {first},",
        "Bonjour,",
        {"female": "Madame", "male": "Monsieur", "dr": "Docteur"},
    ),
    "de": Greeting(
        "Guten Tag {title} {last},",
        "Guten Tag {first},",
        "Guten Tag,",
        {"female": "Frau", "male": "Herr", "dr": "Dr."},
    ),
    "nl": Greeting(
        "Geachte {title} {last},",
        "Beste {first},",
        "Goedendag,",
        {"female": "mevrouw", "male": "heer", "dr": "dr."},
    ),
    "es": Greeting(
        "Hola, {title} {last}:",
        "Hola, {first}:",
        "Hola:",
        {"female": "Sra.", "male": "Sr.", "dr": "Dr."},
    ),
    "it": Greeting(
        "Buongiorno {title} {last},",
        "Buongiorno {first},",
        "Buongiorno,",
        {"female": "signora", "male": "signor", "dr": "dott."},
    ),
    "nb": _NORSE,
    "nn": _NORSE,
    "no": _NORSE,
    "da": Greeting("Hej {first} {last},", "Hej {first},", "Hej,"),
    "sv": Greeting("Hej {first} {last},", "Hej {first},", "Hej,"),
    "fi": Greeting("Hei {first} {last},", "Hei {first},", "Hei,"),
    "pt": Greeting("Olá, {first} {last},", "Olá, {first},", "Olá,"),
    # A name would stand in a case of its own (the vocative), which nobody can work out.
    "pl": Greeting("Dzień dobry,", "Dzień dobry,", "Dzień dobry,"),
    "cs": Greeting("Dobrý den,", "Dobrý den,", "Dobrý den,"),
}
# What a title says of a person, in the languages that contacts come in.
_GENDERS = {
    "mr": "male", "herr": "male", "monsieur": "male", "m": "male", "hr": "male", "sr": "male",
    "señor": "male", "signor": "male", "sig": "male", "dhr": "male",
    "mrs": "female", "ms": "female", "miss": "female", "frau": "female", "madame": "female",
    "mme": "female", "mlle": "female", "mademoiselle": "female", "fru": "female",
    "sra": "female", "señora": "female", "signora": "female", "mevrouw": "female",
    "mw": "female",
}  # fmt: skip
_STATED = {"f": "female", "w": "female", "woman": "female", "m": "male", "man": "male"}


def yes_and_no(language: str) -> tuple[str, str]:
    """Yes and no in a language. Raises NebbetError where they are not known: a word in English
    would stand in the middle of a foreign letter."""
    if language not in _YES_NO:
        raise NebbetError(
            said("What yes and no are in “{language}” is not known here", language=language),
            advice=said("Make it a choice between the two words"),
        )
    return _YES_NO[language]


def greeting(contact: Contact | None, language: str, others: Sequence[str] = ()) -> tuple[str, str]:
    """How a letter begins, with its comma, and how that was chosen.

    others are the names of those whom it goes to as well: two people are greeted by their names,
    more, or one without a name, in a neutral way.

    By title and last name, by first name, or neutral when neither is known; in a language whose
    greetings are not known, by name alone. Gender comes from the contact's title or its field
    “gender”, never from a name. Nothing where there is nothing to say.

    >>> greeting(Contact("1", title="Mr", last_name="Weber"), "de")[0]
    'Guten Tag Herr Weber,'
    >>> greeting(None, "fr")[0]
    'Bonjour,'
    """
    words = _GREETINGS.get(language)
    if contact and others:
        return _to_several(contact, language, others, words)
    if contact and contact.greeting:
        return contact.greeting, "as it is kept for this person"
    if words is None:
        return _by_name(contact)
    if contact is None:
        return words.plain, "nobody is chosen yet, so it is neutral"
    title = _title(contact, words)
    if title and contact.last_name and "{title}" in words.titled:
        return words.titled.format(title=title, last=contact.last_name), "by title and last name"
    if contact.first_name and contact.last_name and "{title}" not in words.titled:
        return words.titled.format(first=contact.first_name, last=contact.last_name), "by full name"
    if contact.first_name:
        return words.named.format(first=contact.first_name), "by first name: no title is on file"
    return words.plain, "neutral: neither title and last name nor first name is on file"


def _to_several(
    contact: Contact, language: str, others: Sequence[str], words: Greeting | None
) -> tuple[str, str]:
    """How a letter to several begins."""
    names = [contact.name, *others]
    if len(names) > 2 or not all(names):
        plain = words.plain if words else ""
        return plain, "neutral: it goes to several people"
    both = format_list(names, locale=Locale.parse(language))
    if words is None or "{first}" not in words.named:
        return (words.plain if words else f"{both},"), "it goes to two people"
    return words.named.format(first=both, last=""), "by the names of both"


def _by_name(contact: Contact | None) -> tuple[str, str]:
    name = contact.name if contact else ""
    return f"{name}," if name else "", "by name alone: how this language greets is not known here"


def _title(contact: Contact, words: Greeting) -> str:
    """What to call a person in the letter's language, or nothing when it is not known."""
    key = fold(contact.title).strip(".")
    if key in words.titles:
        return words.titles[key]
    gender = _GENDERS.get(key) or _gender(contact)
    own = {fold(t): t for t in words.titles.values()}
    if key and key in own:
        return contact.title
    if words is _GREETINGS["en"]:
        return contact.title or words.titles.get(gender, "")
    return words.titles.get(gender, "")


def _gender(contact: Contact) -> str:
    for name, value in contact.more.items():
        if fold(name) == "gender":
            stated = fold(str(value))
            return _STATED.get(stated, stated)
    return ""
