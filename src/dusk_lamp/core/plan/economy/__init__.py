"""Economy: the best plan for the time, the pots and the puddles there are.

What the regions should look like goes into groups of equal value (groups); neat pots and two-pot mixes are the
candidates (candidates); a dynamic programme finds, for one region and a price of its steps, which puddles paint it
and where they are blended (options); an integer programme chooses one option for every region so that all of them
share few pots and puddles within the time (choice). The result is ordinary coats (coats), and what they come to is
simulated as always (plan).
"""
