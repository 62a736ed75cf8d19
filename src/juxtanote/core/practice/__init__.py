"""Loop plans, speed steps and the log."""
