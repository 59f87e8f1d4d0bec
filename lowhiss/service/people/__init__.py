"""People: who they are, how they sign in, what they may do."""
