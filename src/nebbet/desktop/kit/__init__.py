"""What every place is made of: the look, the editor, fields, lists and background work."""
