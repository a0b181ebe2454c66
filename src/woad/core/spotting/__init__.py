"""The Spotting step: small detached things, hairs and dust, and how what lies under them is mended."""
