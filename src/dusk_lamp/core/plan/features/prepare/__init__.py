"""What comes before any paint."""
