"""Speed, as ratios within one run: `./run bench`, or `./run bench noise patterns compile sheet lit checks …`."""

import sys

from bench import bake, checks, compile, handover, lit, noise, patterns, sheet, signals, turn

ALL = {
    "noise": noise.main,
    "patterns": patterns.main,
    "compile": compile.main,
    "sheet": sheet.main,
    "lit": lit.main,
    "bake": bake.main,
    "turn": turn.main,
    "signals": signals.main,
    "handover": handover.main,
    "checks": checks.main,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or ALL:
        print(f"\n{name}\n" + "-" * len(name))
        ALL[name]()
