"""The demo figures as signed-distance forms, and what meshes them; their results ship in `src/dusk_lamp/demo`."""
