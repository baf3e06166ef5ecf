"""Speed, as ratios within one run: `./run bench`, or `./run bench noise patterns compile sheet lit bake turn`."""

import sys

from bench import bake, compile, lit, noise, patterns, sheet, turn

ALL = {
    "noise": noise.main,
    "patterns": patterns.main,
    "compile": compile.main,
    "sheet": sheet.main,
    "lit": lit.main,
    "bake": bake.main,
    "turn": turn.main,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or ALL:
        print(f"\n{name}\n" + "-" * len(name))
        ALL[name]()
