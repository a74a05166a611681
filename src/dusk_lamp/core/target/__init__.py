"""The target: what each spot ought to look like, from light, exposure and the greys it is cut into."""
