"""What goes so quickly that it appears to run backwards."""

from collections.abc import Iterator

from whorl.checks.finding import Finding
from whorl.motion.values import Track
from whorl.plan.build import Planned
from whorl.stage.speed import jumps, repeat


def find(plan: Planned) -> Iterator[Finding]:
    """Numbers that go more than half a repeat from one frame to the next: the eye sees the shorter way."""
    turn = plan.effect.turn
    for uniform in plan.uniforms:
        if not isinstance(uniform.track, Track) or uniform.param.wrap is None or turn.frames < 3:
            continue
        steps, limit = jumps(uniform, turn.phases).max(axis=0), repeat(plan, uniform)
        for axis, (most, whole) in enumerate(zip(steps, limit, strict=True)):
            # Half a repeat exactly only flickers from one to the other.
            if most > whole * 0.5001:
                words = (
                    f"{uniform.param.name} goes {most / whole:.2g} of a repeat a frame, so it appears to run the other "
                    f"way; under half of one, or a longer turn, is seen as it is"
                )
                yield Finding(kind="runs backwards", place=uniform.place, words=words, axis=axis)
                break
