"""A report of what was found, as text that can be kept and sent."""

from collections.abc import Sequence

from whorl.checks.finding import Finding
from whorl.checks.flashes import CHANGE, FLASHES, PART, RED, flashing
from whorl.checks.kinds import Bad
from whorl.checks.looks import of
from whorl.effect.document import Effect
from whorl.effect.read import state_of


def report(effect: Effect, findings: Sequence[Finding]) -> str:
    """Markdown: what flashes, then every finding, the worst first, with why it matters and what would mend it."""
    turn = effect.turn
    lines = [
        f"# {effect.name}",
        "",
        f"State {state_of(effect)}; a turn of {turn.frames} frames in {turn.seconds:g} s, {turn.fps:g} a second.",
        "",
        "## Flashes",
        "",
        f"By WCAG 2.2, success criterion 2.3.1: no more than {FLASHES} flashes in any second over {100 * PART:.0f} %",
        f"of any field of ten degrees. A flash is a change of relative luminance by {CHANGE:g} or more and one against",
        f"it, or of saturated red by {RED:g} or more. The whole turn was looked at, as it is shown again and again.",
        "",
    ]
    looks = of(effect)
    found = flashing(looks) if looks else None
    if looks is None:
        lines.append("The effect has faults and was not looked at.")
    elif found is None:
        lines.append("**It passes**: no second has more flashes than that.")
    else:
        sort = "red flashes" if found.red else "flashes"
        lines.append(
            f"**It does not pass**: {found.flashes:.3g} {sort} in the second from frame {found.first}, "
            f"over {100 * min(found.part, 1):.0f} % of a field."
        )
    open_, aside = [f for f in findings if not f.aside], [f for f in findings if f.aside]
    for bad in Bad:
        these = [f for f in open_ if f.bad is bad]
        if these:
            lines += ["", f"## {bad.value.capitalize()}", ""]
            lines += [line for f in these for line in _told(f)]
    if aside:
        lines += ["", "## Set aside", ""]
        lines += [f"- {f.kind}, {f.place}: {f.words}. Set aside: {f.aside}" for f in aside]
    if not findings:
        lines += ["", "Nothing else was found."]
    return "\n".join(lines) + "\n"


def _told(f: Finding) -> list[str]:
    when = f" ({f.when})" if f.when else ""
    lines = [f"- **{f.kind}**, {f.place}{when}: {f.words}.", f"  {f.why}"]
    if f.mends:
        lines.append(f"  Mends: {'; '.join(m.words for m in f.mends)}.")
    return lines
