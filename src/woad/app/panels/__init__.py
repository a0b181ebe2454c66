"""Step panels: one per step of the bench."""
