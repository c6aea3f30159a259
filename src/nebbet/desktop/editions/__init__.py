"""What a template was and may become: history, states, comparison, proposals."""
