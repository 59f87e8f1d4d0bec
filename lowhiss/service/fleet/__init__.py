"""Units, trailers, and what is coupled to what."""
