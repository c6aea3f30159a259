"""The migrations, in the order of their numbers."""
