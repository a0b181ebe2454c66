"""Scan: is it good enough? Clipping, sharpness, compression, light and noise, each a number with a place."""
