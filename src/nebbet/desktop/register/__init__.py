"""The place Register: what went out."""
