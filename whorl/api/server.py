"""Starting the server."""

import os
import socket
import threading
import webbrowser
from pathlib import Path

import uvicorn
from filelock import FileLock, Timeout

from whorl.api.app import create_app
from whorl.api.guard import MOST_BYTES
from whorl.refused import Refused
from whorl.signals.port import Port

#: For how many seconds a line is kept that nobody speaks on. People rest for longer than servers usually wait, and what
#: is asked just as a line is closed is lost.
KEPT = 120


def data_folder() -> Path:
    """Where effects are kept unless told otherwise: WHORL_DATA, or the user's data folder."""
    own = os.environ.get("WHORL_DATA")
    if own:
        return Path(own)
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "whorl"


def run(
    host: str,
    port: int,
    data: Path | None,
    open_page: bool,
    demo_effects: bool,
    signals: Port | None = None,
    cluster: str | None = None,
) -> None:
    """Serve until stopped. `signals` is where signals come in once they are turned on, `cluster` the scheduler whose
    workers draw what is baked. Raises Refused when the port is taken."""
    if not 0 < port < 65536:
        raise Refused(f"--port goes from 1 to 65535, not {port}")
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as e:
            raise Refused(f"{host}:{port} cannot be used: {(e.strerror or '').lower()}; try another --port") from None
    folder = data or data_folder()
    lock = _alone(folder)
    app = create_app(folder, demo_effects, hosts=(host,), port=signals, cluster=cluster)
    address = f"http://{'127.0.0.1' if host == '0.0.0.0' else host}:{port}/"
    print(f"Whorl is at {address} (effects in {folder}); Ctrl+C stops it", flush=True)
    if open_page:
        threading.Timer(0.8, webbrowser.open, [address]).start()
    try:
        uvicorn.run(
            app,
            host=host,
            port=port,
            log_level="warning",
            timeout_graceful_shutdown=3,
            timeout_keep_alive=KEPT,
            ws_max_size=MOST_BYTES,
        )
    finally:
        lock.release()


def _alone(folder: Path) -> FileLock:
    """Keeps a data folder to this server. Raises Refused where another has it."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock = FileLock(folder / "server.lock")
        lock.acquire(blocking=False)
    except Timeout:
        raise Refused(f"another Whorl works on {folder}; stop it, or give this one another --data") from None
    except OSError as e:
        raise Refused(f"{folder} cannot be used: {(e.strerror or str(e)).lower()}") from None
    return lock
