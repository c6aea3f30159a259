"""The keys of the template editor: what each does, the keys, and which of its methods that is."""

KEYS = (
    ("Keep the draft", "Ctrl+S", "keep_now"),
    ("Put in use", "Ctrl+Shift+S", "put_in_use"),
    ("Next finding", "F8", "next_finding"),
    ("Next doubtful word", "F7", "manuscript.next_doubt"),
    ("Find and replace", "Ctrl+H", "manuscript.find_and_replace"),
    ("Try it, and back", "Ctrl+T", "try_it"),
    ("Try it as received, and on paper", "Ctrl+Shift+T", "try_as_received"),
    ("Insert a placeholder", "Ctrl+D", "ledger.inserter.setFocus"),
    ("Condition of the paragraphs", "Ctrl+Shift+I", "condition.setFocus"),
    ("Repeat for each of a list", "Ctrl+Shift+O", "manuscript.each.setFocus"),
    ("Mend what is mistyped", "Shift+F8", "mend"),
    ("A year of the date rule", "Ctrl+Shift+Y", "see_year"),
    ("Back to the shelves", "Esc", "leave"),
)
