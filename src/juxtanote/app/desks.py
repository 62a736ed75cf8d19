"""The five desks, in the order of the work."""

HEAR, PLACE, CHECK, TEACH, PRACTISE = range(5)
DESKS = ("Hear", "Place", "Check", "Teach", "Practise")
DESK_NAMES = tuple(name.lower() for name in DESKS)
