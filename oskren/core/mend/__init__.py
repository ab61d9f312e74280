"""Mend: from long raw takes to clean selects."""
