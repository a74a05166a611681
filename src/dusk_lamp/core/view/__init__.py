"""Views: cameras, pictures, sheets and the open formats results leave in."""
