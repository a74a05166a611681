"""Eyes, mouth and warmth."""
