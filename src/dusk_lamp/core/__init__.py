"""The craft and the physics: arrays in, arrays out. Nothing here knows of pages, tables or jobs."""
