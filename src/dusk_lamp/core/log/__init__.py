"""The log: what was done at the table, and what it teaches.

entry: one step as it really was. pace: how quick a painter is, by technique and size. paints: what a paint really
hides, how large a bottle's drop is, how much of a paint is used. export: CSV, JSON and back.
"""
