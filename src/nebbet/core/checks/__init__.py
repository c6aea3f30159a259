"""What Nebbet finds in a letter before it goes, or in a template, and what mends it."""

from nebbet.core.checks.findings import Finding, Remedy, Severity, worst
from nebbet.core.checks.frame_checks import check_frame, contrasts
from nebbet.core.checks.letter_checks import apply, check
from nebbet.core.checks.prompts import blank_names, prompts_in
from nebbet.core.checks.template_checks import check_content, mend_content

__all__ = [
    "Finding",
    "Remedy",
    "Severity",
    "apply",
    "blank_names",
    "check",
    "check_content",
    "check_frame",
    "contrasts",
    "mend_content",
    "prompts_in",
    "worst",
]
