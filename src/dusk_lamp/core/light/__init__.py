"""Light: can the lamp see this spot, how squarely, and what comes back from the sky and the ground?"""
