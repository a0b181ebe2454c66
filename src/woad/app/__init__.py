"""The window, the only place with Qt."""
