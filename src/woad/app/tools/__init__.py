"""Gestures on the view, each an object that ends in one change."""
