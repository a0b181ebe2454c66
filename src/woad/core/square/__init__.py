"""Square: the sheet straight, trimmed, without keystone, in one resampling."""
