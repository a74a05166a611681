"""The last varnish and the base's rim."""
