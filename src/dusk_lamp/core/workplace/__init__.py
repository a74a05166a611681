"""Where a painter works: the tools that are there, and the room."""
