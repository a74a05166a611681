"""The undercoat: primer and zenithal, or value sketch."""
