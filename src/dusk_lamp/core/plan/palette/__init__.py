"""The wet palette: puddles in drops, what is shared between coats, and what mixing costs."""
