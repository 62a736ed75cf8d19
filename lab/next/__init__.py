"""The next listener: front end, network, material and training. It is not in the program yet.

After 3,500 steps from scratch (165 scenes of seed 91; 66 minutes on two cores) it is behind the one that
ships, in note F1 on 28 cases of ring 2 (`bench rings`): 0.94 alone, 0.89 in a band, 0.77 in mixes made like
records, against 0.97, 0.93 and 0.86; on recorded mixes it misses most of the certain notes of two songs of
three. ``begun.npz`` holds its weights, folded, to go on from:

    python -m lab.next.train SHARDS --begin lab/next/begun.npz --out WEIGHTS
"""
