"""Mail alone: accounts, SMTP, IMAP, and the carrier that brings letters to the server."""
