"""Exercises from a lick: its line changed by rule, placed anew, hung under its phrase."""
