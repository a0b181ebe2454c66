"""Woad: turns scanned drawings, lettering and paintings into clean digital artwork."""
