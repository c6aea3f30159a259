"""Cells that are written into tables for other programs."""

_RUNS = ("=", "+", "-", "@", "\t", "\r")


def harmless(cell: str) -> str:
    """A cell that no program runs as a formula (OWASP, "CSV Injection").

    >>> harmless("=1+1"), harmless("Refund")
    ("'=1+1", 'Refund')
    """
    return f"'{cell}" if cell.startswith(_RUNS) else cell
