"""The next listener: front end, network, material and training. It is not in the program yet.

After 3,500 steps from scratch (165 scenes of seed 91) and a second look fitted on generated mixes it was behind
the one that ships, in note F1 on 28 cases of ring 2 (`bench rings`): 0.94 alone, 0.89 in a band, 0.77 in mixes
made like records, against 0.97, 0.93 and 0.86. On recorded mixes that second look threw away most of the
certain notes of two songs of three; the net's own onsets have them: 0.70 to 0.79 (lead), 0.87 to 0.90 (any
guitar) at 0.45. So its candidates want a second look that has met records' kind of mixes, and more steps.
``begun.npz`` holds the weights, folded, after 2,500 steps more (validation F1 of the lead 0.75, was 0.73):

    python -m lab.next.train SHARDS --begin lab/next/begun.npz --out WEIGHTS
"""
