"""What Nebbet finds in a letter before it goes, or in a template, and what mends it."""

from nebbet.core.checks.findings import Finding, Remedy, Severity, worst
from nebbet.core.checks.frame_rules import FRAME_RULES, check_frame, contrasts
from nebbet.core.checks.letter_rules import LETTER_RULES, check
from nebbet.core.checks.mending import apply, mend_content
from nebbet.core.checks.prompts import blank_names, prompts_in
from nebbet.core.checks.rules import Found, Rule, run
from nebbet.core.checks.template_rules import TEMPLATE_RULES, check_content

__all__ = [
    "FRAME_RULES",
    "LETTER_RULES",
    "TEMPLATE_RULES",
    "Finding",
    "Found",
    "Remedy",
    "Rule",
    "Severity",
    "apply",
    "blank_names",
    "check",
    "check_content",
    "check_frame",
    "contrasts",
    "mend_content",
    "prompts_in",
    "run",
    "worst",
]
