"""The check: a photo of the painted model laid over what it should look like.

pinhole: a camera with a lens. perspective: what it sees of a surface. photo: reading a photo, and what is wrong with
it. pose: where a photo was taken from, by matched points. compare: photo against prediction, spot by spot, with the
light of the room fitted away. verdict: what is off, in words, worst first. mend: what to do, from the plan's own
paints. booth: a simulated camera. lamp_photo: where a lamp shines from, by a photo of the primed model.
"""
