"""Frames drawn by the workers of a cluster: each is a pure function of document, size and number.

The document and its pictures go to each worker once for a bake, as the bundle that also carries them elsewhere. A
frame comes back as the bytes of its files and gets its final name here, so a bake is the same files wherever it is
drawn; a worker that dies loses the frames that it was at.
"""

import hashlib
import tempfile
from functools import lru_cache
from importlib.metadata import version
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING, Any

import whorl
from whorl.bake.frame import save_frame
from whorl.bake.options import BakeOptions
from whorl.bake.whole import whole
from whorl.bundle import read_file, write_bundle
from whorl.images.library import library
from whorl.plan.build import Planned, build
from whorl.refused import Refused
from whorl.shade.exact import exact
from whorl.stage.frame import Film

if TYPE_CHECKING:
    from whorl.bake.bake import Drawing

#: How long a scheduler may take to answer, in seconds.
PATIENCE = 15
#: How often a frame is tried again on other workers.
RETRIES = 4


@lru_cache(maxsize=1)
def code_here() -> str:
    """Which Whorl this is: its version and a hash of all its Python."""
    digest = hashlib.sha256()
    root = Path(whorl.__file__).parent
    for path in sorted(root.rglob("*.py")):
        digest.update(path.relative_to(root).as_posix().encode())
        digest.update(path.read_bytes())
    return f"{version('whorl')} ({digest.hexdigest()[:12]}{', exact' if exact() else ''})"


_lock = Lock()
_known: dict[str, tuple[Planned, Film]] = {}


def _ready(bundle: bytes, size: str) -> tuple[Planned, Film]:
    """The plan of a bundle on this worker, and what its frames of a size share; of the last few bundles."""
    key = hashlib.sha256(bundle).hexdigest() + size
    with _lock:
        if key not in _known:
            plan = build(read_file(bundle, library))
            if len(_known) >= 4:
                _known.pop(next(iter(_known)))
            _known[key] = (plan, Film(plan))
        return _known[key]


def frame_there(bundle: bytes, options: dict[str, Any], kinds: list[str], frame: int) -> dict[str, bytes]:
    """One frame, drawn by a worker: the bytes of each kind of file."""
    wanted = BakeOptions.model_validate(options)
    look = f"{wanted.width}x{wanted.height}x{wanted.finer}-{wanted.transparent}"
    plan, film = _ready(bundle, look)
    with tempfile.TemporaryDirectory(prefix="whorl-") as folder:
        path = Path(folder) / "frame.png"
        save_frame(plan, frame, wanted, set(kinds), path, film)  # pyrefly: ignore[bad-argument-type]
        return {kind: path.with_suffix(f".{kind}").read_bytes() for kind in kinds}


def client_of(address: str) -> Any:
    """A cluster's client, once all its workers are known to have this very Whorl. Raises Refused."""
    from distributed import Client

    try:
        client = Client(address, timeout=PATIENCE, set_as_default=False)
    except (OSError, ValueError) as e:
        raise Refused(f"there is no scheduler at {address} ({str(e).splitlines()[0][:120]})") from None
    try:
        try:
            client.wait_for_workers(1, timeout=PATIENCE)
        except TimeoutError:
            raise Refused(
                f"the scheduler at {address} has no workers; start some with: dask worker {address}"
            ) from None
        try:
            found = client.run(code_here)
        except Exception as e:
            raise Refused(f"a worker of {address} has no Whorl that can be asked ({type(e).__name__})") from None
        other = sorted({text for text in found.values() if text != code_here()})
        if other:
            raise Refused(f"the workers of {address} have another Whorl: {other[0]} there, {code_here()} here")
    except BaseException:
        client.close()
        raise
    return client


def drawn_there(address: str, drawing: "Drawing") -> None:
    """Draws frames on a cluster. Raises Refused, Cancelled."""
    from distributed import wait

    from whorl.bake.bake import Cancelled

    if not drawing.missing:
        return
    client = client_of(address)
    waiting: dict[Any, int] = {}
    try:
        # By a name of its own too: one that a bake before let go may still be on its way out, and is then waited for.
        bundle = client.scatter(write_bundle(drawing.plan.effect, library), broadcast=True, hash=False)
        options = drawing.options.model_dump(mode="json")
        kinds = sorted(drawing.kinds)
        for f in drawing.missing:
            # Names of their own: what another bake asked for may have been cancelled.
            waiting[client.submit(frame_there, bundle, options, kinds, f, retries=RETRIES, pure=False)] = f
        while waiting:
            if drawing.stopped():
                raise Cancelled
            try:
                with client.as_current():
                    done = wait(list(waiting), timeout=0.5, return_when="FIRST_COMPLETED").done
            except TimeoutError:
                continue
            for future in done:
                frame = waiting.pop(future)
                try:
                    files = future.result()
                except Exception as e:
                    words = f"frame {frame} could not be drawn on {address}: {type(e).__name__}"
                    raise Refused(words) from None
                for kind, data in files.items():
                    with whole(drawing.paths[frame].with_suffix(f".{kind}")) as part:
                        part.write_bytes(data)
                future.release()
                drawing.step()
    finally:
        client.cancel(list(waiting))
        client.close()
