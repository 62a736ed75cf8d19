"""Accuracy and speed against independent references; never part of the test run."""
