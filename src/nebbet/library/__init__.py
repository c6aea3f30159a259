"""The shared library: templates and their editions, records, facts, frames and files."""

from nebbet.library.catalogue import Catalogue, Shelf, Template, Usage
from nebbet.library.store import Library, open_library

__all__ = ["Catalogue", "Library", "Shelf", "Template", "Usage", "open_library"]
