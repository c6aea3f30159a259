"""What Nebbet finds in a letter before it goes, and what mends it."""

from nebbet.core.checks.findings import Finding, Remedy, Severity, worst
from nebbet.core.checks.letter_checks import apply, check

__all__ = ["Finding", "Remedy", "Severity", "apply", "check", "worst"]
