"""The window: Qt widgets, one package for each place, and a shared kit."""
