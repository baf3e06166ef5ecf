"""Speed, as ratios within one run: `./run bench`, or `./run bench noise bake compile`."""

import sys

from bench import bake, compile, noise

ALL = {"noise": noise.main, "compile": compile.main, "bake": bake.main}

if __name__ == "__main__":
    for name in sys.argv[1:] or ALL:
        print(f"\n{name}\n" + "-" * len(name))
        ALL[name]()
