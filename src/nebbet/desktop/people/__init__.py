"""The place People: people and cases, found by typing, and what is known of each."""
