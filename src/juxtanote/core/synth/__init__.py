"""Plucked strings: the written phrase as sound."""
