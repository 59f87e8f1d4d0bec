"""Units and trailers over HTTP."""
