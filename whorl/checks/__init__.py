"""Findings about an effect."""

from whorl.checks.finding import Finding, check, of_plan

__all__ = ["Finding", "check", "of_plan"]
