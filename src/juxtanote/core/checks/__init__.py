"""Findings: what a careful ear would complain about."""
