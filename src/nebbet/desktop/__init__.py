"""The window: Qt widgets, a room for each place, over the session, the paper and the kit."""
