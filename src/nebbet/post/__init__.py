"""Mail accounts, SMTP and IMAP, the outbox, the register, and what one person keeps."""
