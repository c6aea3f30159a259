"""The template editor: manuscript, ledger, builders, try it, the year."""
