"""Small controls the panels are built from."""
