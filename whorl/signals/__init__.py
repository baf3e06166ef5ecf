"""What comes from outside and drives levers, hits and the phase: read, followed, recorded, and played in its stead."""

from whorl.signals.messages import Malformed, Message

__all__ = ["Malformed", "Message"]
