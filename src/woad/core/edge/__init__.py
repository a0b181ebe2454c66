"""The Edge step: edges moved, evened and sharpened."""
