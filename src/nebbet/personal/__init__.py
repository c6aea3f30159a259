"""What one person keeps: home, settings, secrets, open letters, the outbox, what waits."""
