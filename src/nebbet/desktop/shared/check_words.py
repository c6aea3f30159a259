"""What each check of a letter is called, and what it looks for."""

from nebbet.core.sentences import said

# Checks that are not here keep a letter whole, and are always what they are.
WORDS: dict[str, tuple[str, str]] = {
    "greeting": (
        said("Greeting"),
        said("The letter greets somebody else than it goes to, or greets twice."),
    ),
    "other case": (
        said("Another case"),
        said("A number like the case's, and another one, in the text or in a file."),
    ),
    "other person": (
        said("Another person"),
        said("Somebody else on file is named in the text, or in a file that is attached."),
    ),
    "two languages": (
        said("Two languages"),
        said("A paragraph is in another language than the rest of the letter."),
    ),
    "signed twice": (said("Signed twice"), said("The sender's name stands under it twice.")),
    "unsigned": (
        said("Not signed"),
        said("A letter without a template ends without the sender's name."),
    ),
    "domain": (
        said("Mail domain"),
        said("The address ends in what is one letter away from a common domain, or the team's."),
    ),
    "other address": (
        said("Other address"),
        said("The address is none of those that are on file for the person."),
    ),
    "to oneself": (said("To oneself"), said("The letter goes to whoever sends it.")),
    "again": (
        said("Again"),
        said("The same template went to the same person in the last 14 days, from anybody."),
    ),
    "many": (
        said("Many recipients"),
        said("Six people or more would see each other's addresses."),
    ),
    "language": (
        said("Language"),
        said("The letter is in another language than the person is written to in."),
    ),
    "kind": (
        said("Kind of case"),
        said("The template is for other kinds of case than this one."),
    ),
    "weekday": (said("Weekday"), said("A weekday stands beside a date that is another day.")),
    "past": (said("Past"), said("Something is to be done by a day that is past.")),
    "closed": (
        said("Closed"),
        said("Something is promised for a public holiday or a day on which the team is closed."),
    ),
    "amount": (said("Amount"), said("An amount of money is nothing, or less.")),
    "account number": (
        said("Card or account"),
        said("A card number or a bank account stands in the text."),
    ),
    "link says": (
        said("Link"),
        said("The words of a link are one address, and it leads to another."),
    ),
    "same file": (said("Same file"), said("One file is attached twice.")),
    "size": (
        said("Size"),
        said("The attachments are larger, as they are sent, than many servers take."),
    ),
    "promise": (said("Missing file"), said("The text speaks of an attachment, and there is none.")),
    "prompt": (said("Prompt"), said("Words in brackets look as if they were to be replaced.")),
    "mailbox": (
        said("Somebody else's mailbox"),
        said("A letter comes from a mailbox of the team that is for others."),
    ),
    "doubled": (said("Doubled address"), said("An address is there twice.")),
    "body": (said("Empty"), said("There is no text, or nothing but a greeting.")),
}
