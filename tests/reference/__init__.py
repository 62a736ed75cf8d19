"""Our results against published values and general-purpose libraries."""
