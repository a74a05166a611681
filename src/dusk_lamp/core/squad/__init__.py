"""Squads: one lamp, one scheme, one order and one palette for several sculpts, or for one many times.

document: what a squad is, as a file holds it. matching: which region of a sculpt is which of the scheme. carry: the
scheme's plan on another sculpt. palette: the scheme's puddles on another sculpt. work: every model worked out, and
what they take together. paint: the paint for all.
"""
