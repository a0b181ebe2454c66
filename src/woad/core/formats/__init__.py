"""Reading and writing image files: pixels, profile, ppi, orientation, safe writes."""
