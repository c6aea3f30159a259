"""One's own profile: who one is, and how one's mailbox is reached."""
