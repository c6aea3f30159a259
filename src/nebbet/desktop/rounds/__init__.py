"""Rounds: one template to each row of a table, on one page."""
