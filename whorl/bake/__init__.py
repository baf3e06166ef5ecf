"""Frames, videos and files."""
