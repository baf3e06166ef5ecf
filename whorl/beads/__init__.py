"""The bead catalogue."""
