"""The Ink step: optical density, the paper and ink humps, the curve between them."""
