"""The Library's list: shelves, templates, and the reading pane."""
