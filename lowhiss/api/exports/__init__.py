"""What leaves, over HTTP."""
