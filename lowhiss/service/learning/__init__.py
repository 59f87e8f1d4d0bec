"""Learning: classes and what is set them, progress, notes, answers to cards, and what may be taken along."""
