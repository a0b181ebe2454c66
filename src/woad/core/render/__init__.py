"""Where settings meet pixels: readings, steps, caches, view regions and whole sheets."""
