"""Arithmetic every step shares: transfer curves, colour, pyramids, tiles, compositing."""
