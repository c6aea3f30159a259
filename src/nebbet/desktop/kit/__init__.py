"""What every place is made of: the look, fields, lists, views, background work."""
