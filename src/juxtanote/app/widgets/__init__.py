"""Small parts that several desks use."""
