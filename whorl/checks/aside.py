"""Findings that were set aside, with a reason."""

from collections.abc import Iterable

from whorl.checks.finding import Finding
from whorl.effect.document import Effect

#: By how much further than when it was set aside a finding may go before it is told again.
FURTHER = 1.25


def with_aside(effect: Effect, findings: Iterable[Finding]) -> list[Finding]:
    """Findings, each with why it was set aside if it was, and goes no further than it did then."""
    known = {(a.kind, a.place): a for a in effect.aside}
    out = []
    for f in findings:
        aside = known.get((f.kind, f.place))
        if aside is not None and f.measure <= aside.measure * FURTHER + 1e-9:
            f = f.model_copy(update={"aside": aside.reason})
        out.append(f)
    return out
