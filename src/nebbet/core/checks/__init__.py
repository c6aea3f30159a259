"""What Nebbet finds in a letter before it goes, or in a template, and what mends it."""

from nebbet.core.checks.clerk_rules import CLERK_RULES
from nebbet.core.checks.date_rules import DATE_RULES
from nebbet.core.checks.findings import Finding, Remedy, Severity, worst
from nebbet.core.checks.frame_rules import FRAME_RULES, check_frame, contrasts
from nebbet.core.checks.letter_rules import LETTER_RULES, check
from nebbet.core.checks.mending import apply, mend_content
from nebbet.core.checks.prompts import blank_names, prompts_in
from nebbet.core.checks.rules import Found, Grade, Rule, graded, run
from nebbet.core.checks.subjects import About, Earlier
from nebbet.core.checks.template_rules import TEMPLATE_RULES, check_content

__all__ = [
    "CLERK_RULES",
    "DATE_RULES",
    "FRAME_RULES",
    "LETTER_RULES",
    "TEMPLATE_RULES",
    "About",
    "Earlier",
    "Finding",
    "Found",
    "Grade",
    "Remedy",
    "Rule",
    "Severity",
    "apply",
    "blank_names",
    "check",
    "check_content",
    "check_frame",
    "contrasts",
    "graded",
    "mend_content",
    "prompts_in",
    "run",
    "worst",
]
