"""Words that promise an attachment, in the languages that teams write in.

Common practice, no source; written from memory.
"""

import re

# By language; a text is looked through for all of them, for quotes and passages mix languages.
_WORDS = {
    # “attached to this ferry” promises nothing; “attached to this message” does.
    "en": r"attached(?! to (?!(?:this|the|my|our) (?:e-?mail|message|letter|mail)\b))"
    r"|(?:an?|the|this|in|see|my|our|find|as an|following|\d+) (?:attachments?|enclosures?)"
    r"|enclosed|enclosing|attachments? (?:is|are|has|have|to|contains?)"
    r"|(?:I|we|I’m|I'm|we’re|we're|am|are)(?: \w+){0,2} (?:attach|attaching|enclose)",
    "fr": r"ci-(?:joint|inclus)\w*|pièces? jointes?|en annexe"
    r"|(?:je|nous)(?: vous)? joi(?:ns|gnons)",
    "de": r"beigefügt\w*|beiliegend\w*|anbei|im anhang|in der anlage|als anlage|angehängt\w*"
    r"|lieg(?:t|en)(?: \w+){0,3} bei\b|füge(?:n)?(?: \w+){0,4} bei\b",
    "nb": r"vedlagt\w*|vedlegg\w*|legge?r?(?: \w+){0,3} ved\b",
    "sv": r"bifoga\w*|bilaga\w*|bilagor\w*",
    "da": r"vedhæft\w*|bilag\w*|vedlægge?r?",
    "nl": r"bijgevoegd\w*|bijlagen?|als bijlage|ingesloten",
    "es": r"adjunt\w+|anexo|anexamos",
    "it": r"allegat\w+|alleghiamo|allego",
    "pt": r"anex[oa]s?|em anexo|anexamos|junto envi\w+",
    "pl": r"załącz\w+|w załączeniu",
    "fi": r"liitteenä|liitteet|liitteessä|oheis\w+",
}
_PROMISE = re.compile(rf"\b(?:{'|'.join(_WORDS.values())})", re.IGNORECASE)


def promise_in(text: str) -> str:
    """The words of a text that promise an attachment; empty where none do.

    >>> promise_in("Please find the form attached."), promise_in("It is attached to this ferry.")
    ('attached', '')
    """
    found = _PROMISE.search(text)
    return found[0] if found else ""
