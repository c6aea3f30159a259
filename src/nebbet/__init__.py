"""Nebbet: a shared library of email templates, completed and sent one to one."""

__version__ = "0.1.0"
