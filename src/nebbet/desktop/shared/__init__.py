"""What the whole team shares: facts, working days, passages, frames, files, members."""
