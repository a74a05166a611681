"""Coats: where each technique puts its film, in µm of dry paint."""
