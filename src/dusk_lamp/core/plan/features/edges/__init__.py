"""Edge highlights and lining."""
