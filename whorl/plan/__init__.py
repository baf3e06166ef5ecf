"""From an effect to what runs."""
