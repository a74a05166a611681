"""Reach: what of a model a brush and a nozzle get at, with which parts on, and what is best painted apart.

tool: the shape of what reaches in. spots: which spots of a sculpt it reaches. assembly: what stays off until when.
"""
