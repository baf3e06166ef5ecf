"""The scene an effect is tried in."""
