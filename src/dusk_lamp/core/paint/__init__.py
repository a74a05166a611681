"""Paint: what a value is."""
