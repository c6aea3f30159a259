"""The place Library: shelves, templates, the reading pane and the template editor."""
