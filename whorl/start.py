"""The command `whorl` as it is started."""

import gc


def start() -> None:
    """Run the command.

    What is made while modules are imported stays: to look for rubbish in it would take a sixth of a short command's
    time. Later too it is looked for less often than Python does by itself, which counts on small programs.
    """
    gc.disable()
    from whorl.cli import app

    gc.freeze()
    gc.set_threshold(50_000)
    gc.enable()
    app()


if __name__ == "__main__":
    start()
